"""What a mark says, and what it becomes on the other side; always exact decimals."""
