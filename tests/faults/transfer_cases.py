"""Transfers, decisions and ledgers that are out to hang, kill or fool their reader."""

import random
from collections.abc import Iterator

from cases import PLAYS, TRANSFER, Case, as_transfer

NUMBERS = ("1e999999999", "-1e999999999", "1e-999999999", "nan", "inf", "9" * 5_000, "0." + "3" * 5_000, "-1", "0x" + "f" * 5_000,
           "1979-05-27", "[1, 2]", "{a = 1}", "true", '"1e999999"', "9223372036854775808")  # fmt: skip
STRINGS = (
    "a\\u0000b",
    "../" * 1_000 + "x",
    "x" * 1_000_000,
    "/dev/zero",
    "/proc/self/environ",
    ".",
    "~",
    "con",
    "",
    "transfer.toml",
)


def transfer_cases() -> Iterator[Case]:
    """Yield the cases."""
    yield from _numbers()
    yield from _strings()
    yield from _nests()
    yield from _totals()
    yield from _others()


def _numbers() -> Iterator[Case]:
    item = "from_out_of = 10\n"
    for number in NUMBERS:
        shown = f"{number[:14]} ({len(number)})"
        for key in ("from_out_of", "weight", "decimals", "to_width"):
            text = TRANSFER.replace(item, f"{key} = {number}\n" + (item if key != "from_out_of" else ""), 1)
            yield as_transfer(f"{key} = {shown}", text)
        yield as_transfer(f"version = {shown}", TRANSFER.replace("version = 1", f"version = {number}"))
        tail = f"[scale.s.bands]\nA = {number}\n[scale.s.values]\nB = {number}\n[statuses]\nabsent = {number}\n[marks]\nmissing_maximum = {number}\n"
        yield as_transfer(f"scale, statuses, marks {shown}", TRANSFER + tail)
        yield as_transfer(f"students {shown}", TRANSFER + f"[students]\nminimum_paired_percent = {number}\n")
        yield as_transfer(f"heading_row {shown}", TRANSFER.replace("[target]", f"heading_row = {number}\n[target]"))


def _strings() -> Iterator[Case]:
    for text in (*STRINGS, *(f"a\\u{ord(sign):04x}b" for play in PLAYS for sign in play[:1])):
        shown = f"{text[:14]} ({len(text)})"
        yield as_transfer(f"file {shown}", TRANSFER.replace('"export.csv"', f'"{text}"'))
        yield as_transfer(f"form {shown}", TRANSFER.replace('"form.csv"', f'"{text}"'))
        yield as_transfer(f"layout {shown}", TRANSFER.replace("[target]", f'layout = "{text}"\n[target]'))
        yield as_transfer(f"encoding {shown}", TRANSFER.replace("[target]", f'encoding = "{text}"\n[target]'))
        yield as_transfer(f"heading {shown}", TRANSFER.replace('"Knots (out of 10)"', f'"{text}"'))
        tail = f'[since]\nsent_ledger = "{text}"\n[[crosswalk]]\nfile = "{text}"\nfrom = "a"\nto = "b"\n'
        yield as_transfer(f"since, crosswalk {shown}", TRANSFER + tail)


def _nests() -> Iterator[Case]:
    deep = 10_000
    nests = {
        "lists": f"x = {'[' * deep}{']' * deep}",
        "tables": f"x = {'{a = ' * deep}1{'}' * deep}",
        "dots": f"{'.'.join('a' * deep)} = 1",
        "headings": f"[{'.'.join('a' * deep)}]",
        "open lists": f"x = {'[' * deep}",
        "quotes": '"""' + '"' * deep,
        "one line": "x" * 3_000_000,
        "notes": "#" * 3_000_000,
        "many notes": "# a\n" * 300_000,
        "lists in a list": f"x = [{'[],' * 300_000}]",
    }
    for name, text in nests.items():
        yield as_transfer(f"nested {name}", f"{text}\n{TRANSFER}")
        yield as_transfer(f"nested {name}, behind", f"{TRANSFER}\n{text}")
    for count in (2_000, 50_000):
        items = "".join(f'[[item]]\nfrom = "Task {i}"\nto = "Task {i}"\n' for i in range(count))
        yield as_transfer(f"{count} items that aren't there", TRANSFER + items)
    for count in (2_000, 50_000):
        numbers = ", ".join(f'"T-{i}"' for i in range(count))
        yield as_transfer(f"only {count} students", f"{TRANSFER}[students]\nonly = [{numbers}]\n")
        words = "".join(f'"word {i}" = "A"\n' for i in range(count))
        yield as_transfer(f"{count} statuses", f"{TRANSFER}[statuses]\n{words}")


def _totals() -> Iterator[Case]:
    formulas = {
        "1,000 operators": " + ".join(["1"] * 1_000),
        "5,000 operators": " * ".join(["2"] * 5_000),
        "5,000 quotients": " / ".join(["3"] * 5_000),
        "1,000 names": " + ".join(['"Knots (out of 10)"'] * 1_000),
        "signs": "-" * 5_000 + "1",
        "brackets": "(" * 5_000 + "1" + ")" * 5_000,
        "59 brackets": "(" * 59 + "1" + ")" * 59,
        "words": "mean of " * 2_000 + '"Knots (out of 10)"',
        "digits": "9" * 19_000,
        "powers": "*".join(["9" * 30] * 600),
        "shares": "percent of " * 50 + '"Knots (out of 10)"',
        "blanks": "1" + " " * 19_000 + "+ 1",
        "a list": f"sum of ({', '.join(['1'] * 5_000)})",
        "percents": "50% of " * 50 + "1",
        "quotes": "'" * 5_000,
        "ranks": "rank of " * 1_000 + "1",
    }
    for name, formula in formulas.items():
        total = f'[[total]]\nname = "T"\nformula = """{formula}"""\n[[item]]\nfrom = "T"\nto = "Remarks"\nany_column = true\n'
        yield as_transfer(f"a formula of {name}", TRANSFER + total)
    for count in (60, 500, 5_000):
        chain = "".join(f'[[total]]\nname = "T{i}"\nformula = \'"T{i + 1}" + 1\'\n' for i in range(count))
        for end in ("1", '"T0"'):
            last = f"[[total]]\nname = \"T{count}\"\nformula = '{end}'\n"
            text = f'{TRANSFER}{chain}{last}[[item]]\nfrom = "T0"\nto = "Remarks"\nany_column = true\n'
            yield as_transfer(f"a chain of {count} totals that ends in {end}", text)
    wide = "".join(f'[[total]]\nname = "T{i}"\nformula = \'"T{i + 1}" * "T{i + 1}"\'\n' for i in range(60))
    last = '[[total]]\nname = "T60"\nformula = \'9\'\n[[item]]\nfrom = "T0"\nto = "Remarks"\nany_column = true\n'
    yield as_transfer("totals that square each other", TRANSFER + wide + last)


def _others() -> Iterator[Case]:
    chance = random.Random(9)
    yield as_transfer("a transfer that is no text", b"\xff\xfe\0\1")
    yield as_transfer("a transfer of zeros", b"\0" * 100_000)
    yield as_transfer("an empty transfer", "")
    yield as_transfer("a transfer in UTF-16", TRANSFER.encode("utf-16"))
    yield as_transfer("a transfer with old line ends", TRANSFER.replace("\n", "\r"))
    whole = TRANSFER.encode()
    for number in range(25):
        changed = bytearray(whole)
        for _ in range(chance.randint(1, 6)):
            changed[chance.randrange(len(changed))] = chance.randrange(256)
        yield as_transfer(f"a transfer changed at random, {number}", bytes(changed))
    beside = {
        "pairings.csv": (("students",), ("preview",), ("write", "--plain")),
        "held.csv": (("preview",), ("write", "--plain")),
        "ledger.json": (("confirm", "form.csv"), ("preview",), ("write", "--plain")),
        "skarvin-history.db": (("history",), ("preview",), ("write", "--plain")),
        "form-import.csv": (("preview",), ("write", "--plain"), ("confirm", "form.csv")),
    }
    junk: dict[str, bytes] = {
        "zeros": b"\0" * 10_000,
        "chance": chance.randbytes(10_000),
        "a deep list": b"[" * 100_000,
        "a deep table": b'{"a":' * 100_000,
        "a long number": b'{"version": ' + b"9" * 10_000 + b"}",
        "quotation marks": b'"' * 10_001,
        "another table": b"a,b\n1,2\n",
        "signs": b"identifier,decision\n\x1b[2J,\xc2\x9b31m\n",
        "a start of SQLite": b"SQLite format 3\0" + b"\xff" * 5_000,
        "blanks": b" " * 10_000,
    }
    for name, commands in beside.items():
        for kind, data in junk.items():
            yield Case(f"{name} is {kind}", commands, {name: data})
