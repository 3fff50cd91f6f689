"""What adjustment layers do: each file one kind."""
