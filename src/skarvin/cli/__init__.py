"""The command line: one module a command, and what a terminal shows."""
