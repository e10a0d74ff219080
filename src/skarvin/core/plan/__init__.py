"""`transfer.toml`: what it says, read, checked and explained; and what a draft of it proposes."""
