"""What a hostile case is, and the small class that transfers are about."""

from dataclasses import dataclass, field
from pathlib import Path

EXPORT = """\
Learner no,Name,Knots (out of 10),Lofting (out of 100)
T-1007,"Ó Murchú, Síle",8,73
T-1012,"D'Angelo, Chiara",0,
T-1013,"Tanaka, Hiroshi",6.5,1O
T-1020,"Okonkwo, Adaeze",9,88
"""
FORM = """\
Registry no,Name,Knots [10],Lofting [15],Remarks
T-1013,"Tanaka, Hiroshi",5,,late
T-1007,"Ó Murchú, Síle",8.0,,
T-1012,"D'Angelo, Chiara",,9,
T-1020,"Okonkwo, Adaeze",,,
"""
TRANSFER = """\
version = 1
[source]
file = "export.csv"
identifier = "Learner no"
[target]
file = "form.csv"
identifier = "Registry no"
[[item]]
from = "Knots (out of 10)"
to = "Knots [10]"
from_out_of = 10
to_out_of = 10
[[item]]
from = "Lofting (out of 100)"
to = "Lofting [15]"
from_out_of = 100
to_out_of = 15
"""
ORDINARY = {"export.csv": EXPORT, "form.csv": FORM, "transfer.toml": TRANSFER}
PLAYS = ("\x1b]0;owned\x07", "\x1b[2J", "\x9b31m", "\x85", "\u202e", "\u2066", "\u061c", "\u2028")
"""Signs that a terminal obeys, or that turn what is read around."""


@dataclass(frozen=True)
class Case:
    """Files, and commands that are run one after the other in their folder."""

    name: str
    commands: tuple[tuple[str, ...], ...]
    files: dict[str, bytes | str] = field(default_factory=dict)
    links: dict[str, str] = field(default_factory=dict)
    pipes: dict[str, bytes] = field(default_factory=dict)

    def lay_out(self, folder: Path) -> None:
        """Write the files and the ordinary ones that they don't replace, and make the links."""
        for name, data in (ORDINARY | self.files).items():
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            (folder / name).write_bytes(data.encode() if isinstance(data, str) else data)
        for name, target in self.links.items():
            (folder / name).symlink_to(target)


def as_export(name: str, data: bytes | str, file: str = "strange.csv") -> Case:
    """Return a case in which a file is looked at, drafted from and, as the transfer's export, previewed."""
    transfer = TRANSFER.replace("export.csv", file)
    commands = (
        ("look", file),
        ("draft", file, "form.csv", "--transfer", "new.toml"),
        ("preview",),
    )
    return Case(name, commands, {file: data, "transfer.toml": transfer})


def as_transfer(name: str, text: str | bytes, **files: bytes | str) -> Case:
    """Return a case in which a transfer is previewed and written."""
    return Case(name, (("preview",), ("write", "--plain")), {"transfer.toml": text, **files})
