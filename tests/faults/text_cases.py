"""Delimited text that is out to hang, kill or fool its reader."""

import random
from collections.abc import Iterator

from cases import EXPORT, PLAYS, Case, as_export

HEAD = "Learner no,Name,Knots (out of 10)"
LONG = (500, 1_000, 100_000)
REPEATED = {
    "blanks": " ",
    "tabs in quotes": "\t",
    "wide blanks": "\u3000",
    "brackets": "(",
    "closing brackets": ")",
    "pairs of brackets": "(a)",
    "dashes": "-",
    "spaced dashes": " - ",
    "slashes": "/",
    "digits": "7",
    "spaced digits": " 7",
    "letters": "a",
    "words": "ab ",
    "colons": ":",
    "pipes": "|",
    "percent signs": " %",
    "accents": "e\u0301",
    "stacked accents": "\u0301",
    "joiners": "\u200d",
    "numbered": "q1 ",
    "commas": ";",
    "dots": ".",
    "apostrophes": "'",
}
CODECS = ("undefined", "idna", "punycode", "unicode_escape", "raw_unicode_escape", "utf-7", "hex", "rot13", "zip",
          "base64", "mbcs", "oem", "utf-32", "cp037", "no such", "", "a" * 5000, "../x", "utf-8-sig", "utf-16")  # fmt: skip


def text_cases() -> Iterator[Case]:
    """Yield the cases."""
    yield from _bytes()
    yield from _headings()
    yield from _marks()
    yield from _shapes()
    yield from _signs()
    yield from _options()
    yield from _chance()


def _bytes() -> Iterator[Case]:
    marks = {"utf-8": b"\xef\xbb\xbf", "utf-16 le": b"\xff\xfe", "utf-16 be": b"\xfe\xff", "utf-32": b"\xff\xfe\0\0"}
    for name, mark in marks.items():
        yield as_export(f"nothing but the byte order mark of {name}", mark)
        yield as_export(f"{name}'s mark and half a character", mark + b"\xd8")
        yield as_export(f"{name}'s mark before plain ASCII", mark + EXPORT.encode())
    yield as_export("blanks only", b"   \t\n" * 1000)
    yield as_export("zeros only", b"\0" * 5_000_000)
    yield as_export("line ends only", b"\n" * 3_000_000)
    yield as_export("carriage returns only", b"\r" * 3_000_000)
    yield as_export("delimiters only", b"," * 3_000_000)
    yield as_export("quotation marks only", b'"' * 1_000_000)
    yield as_export("an odd number of quotation marks", b'"' * 999_999)
    yield as_export("a lone surrogate in UTF-16", "a,b\n1,2\n".encode("utf-16") + b"\x00\xd8" * 3)
    yield as_export("UTF-16 of an odd length", EXPORT.encode("utf-16")[:-1])
    yield as_export("UTF-16 without a mark, with zeros inside", EXPORT.replace("8", "\0").encode("utf-16-le"))
    yield as_export("one zero byte in a name", EXPORT.replace("Hiroshi", "Hiro\0shi"))
    yield as_export("a zero byte in a heading", EXPORT.replace("Knots", "Kn\0ots"))
    yield as_export("bytes that no encoding has", bytes(range(256)) * 100)
    yield as_export("halves of two encodings", EXPORT.encode() + EXPORT.encode("cp1252"))
    yield as_export("compressed text", __import__("gzip").compress(EXPORT.encode()), "strange.csv.gz")
    yield as_export("a bomb in gzip", __import__("gzip").compress(b"a,b\n" * 100_000_000, 9), "strange.csv.gz")
    yield as_export("a gzip cut off", __import__("gzip").compress(EXPORT.encode())[:-12], "strange.csv.gz")
    twice = __import__("gzip").compress(__import__("gzip").compress(EXPORT.encode()))
    yield as_export("a gzip in a gzip", twice, "strange.csv.gz")
    for start in (
        b"%PDF-1.7",
        b"\x89PNG\r\n",
        b"SQLite format 3\0",
        b"{\\rtf1",
        b"PK\x05\x06",
        b"PK\x03\x04",
        b"\xd0\xcf",
    ):
        yield as_export(f"the start of another kind {start[:4]!r}", start + b"\0\1\2" * 1000)


def _headings() -> Iterator[Case]:
    for name, text in REPEATED.items():
        for count in LONG:
            heading = f'"Knots{text * count}x"'
            yield as_export(f"{count} {name} inside a heading", f"{HEAD},{heading}\nT-1007,A B,1,2\n")
    yield as_export("a heading of 5 MB", f"{HEAD},{'a' * 5_000_000}\nT-1007,A B,1,2\n")
    yield as_export("numbers as headings", f"{','.join(map(str, range(3000)))}\n{','.join('1' * 3000)}\n")
    yield as_export("300 equal headings", f"{HEAD}{',Total' * 300}\nT-1007,A B,1{',5' * 300}\n")
    yield as_export("all of one word", "Name\n" * 50_000)


def _marks() -> Iterator[Case]:
    odd = ("1e999999999", "-1e999999999", "1E+11", "nan", "inf", "-0", "0x1F", "1_000", "٣٤", "½", "1" * 5_000, "9" * 400_000,
           "1." + "3" * 5_000, "1/" + "0" * 5_000, "1/0", "0/0", "%" * 5_000, "+" * 5_000, "1" + " " * 50_000 + "2",
           "=cmd|' /C calc'!A0", "1,5" * 5_000, "a" * 130_000, "(" * 10_000, "1e5", "5 " * 20_000)  # fmt: skip
    for mark in odd:
        yield as_export(f"the mark {mark[:12]!r} ({len(mark)})", f'{HEAD}\nT-1007,A B,"{mark}"\nT-1012,C D,5\n')
        yield as_export(
            f"{mark[:12]!r} ({len(mark)}) as maximum", f'Learner no,Name,"Knots (out of {mark})"\nT-1007,A B,5\n'
        )
    for mark in odd[:18]:
        yield as_export(f"{mark[:12]!r} ({len(mark)}) as identifier", f'{HEAD}\n"{mark}",A B,5\n"{mark}1",C D,6\n')
    words = "\n".join(f"T-{i},P {i},w{i * 7919 % 99991}x{i}" for i in range(30_000))
    yield as_export("30,000 distinct texts that are no marks", f"{HEAD}\n{words}\n")
    words = "\n".join(f"T-{i},P {i},{'word ' * 5}{i}" for i in range(30_000))
    yield as_export("30,000 distinct sentences", f"{HEAD}\n{words}\n")
    same = "\n".join(f"T-{i},Nguyen An,5" for i in range(20_000))
    yield as_export("20,000 students of one name", f"{HEAD}\n{same}\n")
    same = "\n".join(f"T-1007,Nguyen An,{i % 10}" for i in range(20_000))
    yield as_export("20,000 rows of one student", f"{HEAD}\n{same}\n")


def _shapes() -> Iterator[Case]:
    for width in (4_000, 16_384, 16_385, 200_000):
        heads = ",".join(f"Task {i} (out of 10)" for i in range(width))
        yield as_export(
            f"{width} columns", f"Learner no,Name,{heads}\nT-1007,A B{',7' * width}\nT-1012,C D{',8' * width}\n"
        )
    yield as_export("a million short rows", "5\n" * 1_000_000)
    yield as_export("a cell of 5 MB", f"{HEAD}\nT-1007,A B,{'x' * 5_000_000}\n")
    yield as_export("a quoted cell of 5 MB", f'{HEAD}\nT-1007,A B,"{"x" * 5_000_000}"\n')
    yield as_export("a quoted cell of 200,000 lines", f'{HEAD}\nT-1007,"A B{chr(10) * 200_000}",5\n')
    yield as_export("a quotation mark that never closes", f'{HEAD}\nT-1007,"A B,5\n' + "T-1,C D,5\n" * 100_000)
    yield as_export("quotation marks in each cell", f"{HEAD}\n" + 'T-1,C "D" "E,5"\n' * 30_000)
    yield as_export("rows ever wider", "\n".join("," * i for i in range(3_000)))
    yield as_export("one row wide, many narrow", f"{HEAD}{',x' * 16_000}\n" + "T-1,C D,5\n" * 20_000)
    yield as_export("the delimiter changes", "a;b;c\n1,2,3\n1\t2\t3\n1|2|3\n" * 2_000)
    yield as_export("heading rows without end", f"{HEAD}\n" * 5_000)


def _signs() -> Iterator[Case]:
    for sign in PLAYS:
        text = (
            EXPORT.replace("Hiroshi", f"Hiro{sign}shi").replace("1O", f"1{sign}O").replace("Lofting", f"Lof{sign}ting")
        )
        case = as_export(f"{sign!r} in names, marks, headings", text)
        more = (
            ("students",),
            ("preview", "--all"),
            ("look", "strange.csv", "--mask"),
            ("students", "--mask"),
            ("students", "--json"),
        )
        yield Case(case.name, case.commands + more, case.files)
        name = f"strange{sign}.csv"
        yield as_export(f"{sign!r} in the file's name", EXPORT, name)
        yield Case(f"{sign!r} in the name of no file", (("look", name), ("draft", name, name)))
    for text in ("-2+3+cmd|' /C calc'!A0", "=1+1", "@SUM(1)", "+1-1|x", "\t=1", "\r=1", "＝1+1", "-A1"):
        rows = EXPORT.replace("Tanaka, Hiroshi", text.replace('"', '""')).replace("1O", text)
        yield as_export(f"{text!r} in cells", rows)


def _options() -> Iterator[Case]:
    for codec in CODECS:
        yield Case(f"--encoding {codec[:20]!r}", (("look", "export.csv", "--encoding", codec),))
    for value in ("9" * 5_000, "-1", "x" * 5_000, "\x1b[2J", "a\nb", "''"):
        for option in ("--sheet", "--delimiter"):
            yield Case(f"{option} {value[:8]!r} ({len(value)})", (("look", "export.csv", option, value),))
        yield Case(f"--transfer {value[:8]!r} ({len(value)})", (("preview", "--transfer", value),))
        yield Case(f"look {value[:8]!r} ({len(value)})", (("look", "--", value),))
        yield Case(f"a command {value[:8]!r} ({len(value)})", ((value,),))
    for file in ("/dev/zero", "/dev/null", "/dev/urandom", "/dev/full", "/proc/self/environ", "/proc/self/mem", "/proc/cpuinfo",
                 "/proc/kmsg", ".", "/", "/dev/stdin", "/dev", "x" * 300, "y/" * 3_000 + "z"):  # fmt: skip
        yield Case(f"look {file[:20]!r}", (("look", file), ("draft", file, "form.csv"), ("draft", "export.csv", file)))
    yield Case("a link that goes round", (("look", "round.csv"),), links={"round.csv": "round.csv"})
    yield Case(
        "a link to nothing", (("look", "gone.csv"), ("draft", "gone.csv", "form.csv")), links={"gone.csv": "nowhere"}
    )
    yield Case("a pipe", (("look", "pipe"), ("draft", "export.csv", "pipe")), pipes={"pipe": EXPORT.encode()})
    yield Case("a pipe without end", (("look", "pipe"),), pipes={"pipe": b""})


def _chance() -> Iterator[Case]:
    chance = random.Random(7)
    whole = EXPORT.encode()
    for number in range(25):
        data = bytearray(whole)
        for _ in range(chance.randint(1, 12)):
            data[chance.randrange(len(data))] = chance.randrange(256)
        yield as_export(f"bytes changed at random, {number}", bytes(data))
    for number in range(10):
        yield as_export(f"bytes at random, {number}", chance.randbytes(chance.randint(1, 20_000)))
    for number in range(10):
        signs = [chance.choice("\",;\t|\n\r'\\ab1=") for _ in range(20_000)]
        yield as_export(f"signs at random, {number}", "".join(signs))
