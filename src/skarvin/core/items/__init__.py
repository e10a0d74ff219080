"""Which source item feeds which target item."""
