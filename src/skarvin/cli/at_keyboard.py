"""Whether anybody can be asked."""

import sys


def may_ask() -> bool:
    """Tell whether somebody sits at the keyboard and sees what is asked."""
    return sys.stdin.isatty() and sys.stdout.isatty()
