"""Starts the command line as `python -m skarvin`."""

from skarvin.entry import main

if __name__ == "__main__":
    main()
