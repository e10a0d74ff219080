"""Lets `python -m skarvin` do what `skarvin` does."""

from skarvin.cli.main import main

if __name__ == "__main__":
    main()
