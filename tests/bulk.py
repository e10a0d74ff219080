"""Everything in bulk, as for a district, however little there is."""

from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import pytest

from skarvin.core.grid.short_texts import ShortTexts
from skarvin.core.ledger import codes as ledger_codes
from skarvin.core.ledger.second_look.bulk import BulkLook
from skarvin.core.targets.row_ends import RowEnds

MANY = ("grid.coding.MANY", "targets.filling.MANY", "ledger.codes._MANY", "ledger.ledger.MANY")
"""From so much on things are done in bulk; lowered, a class is a district."""
BLOCKS = (
    *("core.grid.coding", "core.targets.filling", "core.ledger.codes", "core.ledger.fates"),
    *(
        "core.ledger.second_look.bulk",
        "core.ledger.second_look.claims",
        "reports.mark_lines",
    ),
)
"""What takes so many rows at a time; lowered, a class has several blocks, and rows at their edges."""
ROWS_A_BLOCK = 3
SHORT = (
    "grid.coding.MOST_SHORT",
    "ledger.codes.MOST_SHORT",
    "ledger.fates.MOST_SHORT",
)
"""From so many codes on they are four bytes wide; lowered, they become so amid a class."""
CODES = 5
taken: Counter[str] = Counter()
"""How often each bulk way was gone to the end."""


def counted(name: str, way: Callable[..., Any]) -> Callable[..., Any]:
    """Return a bulk way that counts how often it was gone to the end."""

    def run(*arguments: Any, **options: Any) -> Any:  # noqa: ANN401 - whatever it takes and gives
        found = way(*arguments, **options)
        taken[name] += found is not None
        return found

    return run


@contextmanager
def in_bulk() -> Iterator[None]:
    """Do everything in bulk, however little there is, and count which ways are taken."""
    with pytest.MonkeyPatch.context() as patch:
        for name in MANY:
            patch.setattr(f"skarvin.core.{name}", 1)
        for name in BLOCKS:
            patch.setattr(f"skarvin.{name}._BLOCK", ROWS_A_BLOCK)
        for name in SHORT:
            patch.setattr(f"skarvin.core.{name}", CODES)
        patch.setattr("skarvin.core.ledger.ledger._FEW", CODES)
        patch.setattr("skarvin.core.transfer.settling.LISTED_WHOLE", 0)
        patch.setattr(ShortTexts, "block", counted("coding", ShortTexts.block))
        patch.setattr(RowEnds, "block", counted("filling", RowEnds.block))
        patch.setattr(BulkLook, "look", counted("second look", BulkLook.look))
        patch.setattr(ledger_codes, "_decide_many", counted("deciding", ledger_codes._decide_many))  # noqa: SLF001
        patch.setattr(ledger_codes, "_arranged_many", counted("arranging", ledger_codes._arranged_many))  # noqa: SLF001
        patch.setattr(ledger_codes, "_mapped_many", counted("history", ledger_codes._mapped_many))  # noqa: SLF001
        yield
