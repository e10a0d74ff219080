"""Where a person's own files of words lie: told once, by whoever starts the program, before any word is read."""

from collections.abc import Iterable
from pathlib import Path


class OwnWords:
    """The person's own files of words, none unless they are told."""

    files: tuple[Path, ...] = ()

    def lie_in(self, files: Iterable[Path]) -> None:
        """Say which files there are."""
        self.files = tuple(files)


OWN_WORDS = OwnWords()
"""The one place where they are told: words are read when the modules that need them are."""
