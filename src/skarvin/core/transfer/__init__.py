"""The run: both sides, who is who, marks that are made, settling, writing."""
