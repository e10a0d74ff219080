"""One job from end to end: its plan in `transfer.toml`, drafting the plan, and carrying it out."""
