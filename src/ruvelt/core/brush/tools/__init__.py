"""Hand tools: each file one tool."""
