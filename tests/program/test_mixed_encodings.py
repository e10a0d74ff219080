"""Two files joined into one: each line is read in its own encoding, and what is doubtful waits for a person."""

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Skarvin, column
from skarvin.core.grid.encoding import decode

GERMAN, POLISH = ["Müller, Jörg", "Weiß, Änne", "Groß, Übeke", "Höß, Götz"], ["Łęcka, Zofia", "Żuk, Małgorzata"]


def lay_out(folder: Path, names: list[tuple[str, str]]) -> None:
    lines = [f'{100 + at},"{name}",{at + 1}\n'.encode(codec) for at, (name, codec) in enumerate(names)]
    (folder / "export.csv").write_bytes(b"".join([b"No,Name,Knots\n", *lines]))
    rows = "".join(f"{name};\n" for name, _ in names)
    (folder / "form.csv").write_text(f"Name;Knots\n{rows}", encoding="utf-8")


@pytest.mark.parametrize("codec", ["cp1252", "cp1250", "iso8859-15", "mac-roman"])
def test_each_line_is_read_in_its_own_encoding(tmp_path: Path, skarvin: Skarvin, codec: str) -> None:
    names = [(name, codec) for name in GERMAN] + [(name, "utf-8") for name in POLISH] + [("Smith, Ann", "ascii")]
    lay_out(tmp_path, names)
    drafted = skarvin("draft", "export.csv", "form.csv", "--missing-maximum", "same")
    assert drafted.code == 0, drafted.err
    assert skarvin("write").code == 0
    assert column(tmp_path, 1) == [str(at + 1) for at in range(7)]
    assert json.loads((tmp_path / "ledger.json").read_bytes())["second_look"]["marks_looked_up"] == 7
    assert "encodings are mixed: lines 2, 3, 4 and 5 are in" in " ".join(skarvin("preview").out.split())


def test_a_letter_that_may_be_another_waits_and_no_form_is_filled_so(tmp_path: Path, skarvin: Skarvin) -> None:
    names = [("Müller, Jörg", "cp1252"), ("Łęcka, Zofia", "utf-8"), ("Muñoz, Inés", "cp1252"), ("Smith, Ann", "ascii")]
    lay_out(tmp_path, names)
    assert skarvin("draft", "export.csv", "form.csv", "--missing-maximum", "same").code == 0
    assert skarvin("write").code == 1
    assert column(tmp_path, 1) == ["1", "2", "", "4"]
    told = " ".join(skarvin("preview").out.split())
    assert "encodings are mixed: lines 2 and 4 are in Windows-1252" in told
    assert "Mu\N{REPLACEMENT CHARACTER}oz, Inés" in told
    refused = skarvin("draft", "form.csv", "export.csv", "--transfer", "back.toml")
    assert (refused.code, "Save it in one encoding, and name that file." in refused.err) == (3, True)


@given(st.lists(st.tuples(st.sampled_from([*GERMAN, *POLISH, "plain"]), st.booleans()), min_size=1))
def test_lines_that_are_utf_8_are_never_read_otherwise(lines: list[tuple[str, bool]]) -> None:
    codecs = ["utf-8" if is_utf8 or name in POLISH else "cp1252" for name, is_utf8 in lines]
    data = b"\n".join(name.encode(codec) for (name, _), codec in zip(lines, codecs, strict=True))
    text, encoding = decode(data, Path("x.csv"))
    odd = [at for at, codec in enumerate(codecs, 1) if codec != "utf-8" and lines[at - 1][0] != "plain"]
    has_both = odd and any(at not in odd and not lines[at - 1][0].isascii() for at in range(1, len(lines) + 1))
    assert list(encoding.elsewhere) == (odd if has_both else [])
    assert text.split("\n") == [name for name, _ in lines]
