"""What fills lay down: each file one kind."""
