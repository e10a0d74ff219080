"""What a transfer writes into: one seam for every kind of target."""
