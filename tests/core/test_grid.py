import io
import zipfile
from pathlib import Path

import pytest

from skarvin.core.findings import Refused, Unreadable, column_letter
from skarvin.core.grid.arranged import ArrangedGrid
from skarvin.core.grid.file_kinds import Kind
from skarvin.core.grid.grid import CellGrid
from skarvin.core.grid.group_grid import GroupGrid, Table
from skarvin.core.grid.package import Package, elements
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.grid.save import Delivery
from skarvin.core.grid.workbook import check_size, count_of, number_text


def written(folder: Path, data: bytes) -> Path:
    file = folder / "export.csv"
    file.write_bytes(data)
    return file


@pytest.mark.parametrize(("index", "letter"), [(0, "A"), (25, "Z"), (26, "AA"), (701, "ZZ"), (702, "AAA")])
def test_columns_have_the_letters_that_spreadsheets_give_them(index: int, letter: str) -> None:
    assert column_letter(index) == letter


@pytest.mark.parametrize("mark", [b"", b"\xef\xbb\xbf"])
@pytest.mark.parametrize("delimiter", [b",", b";", b"\t"])
@pytest.mark.parametrize("end", [b"\n", b"\r\n", b"\r"])
def test_a_file_is_understood_whatever_its_mark_delimiter_and_line_end(
    tmp_path: Path, mark: bytes, delimiter: bytes, end: bytes
) -> None:
    rows = [[b"no", b"name"], [b"007", "Síle".encode()], [b"008", b'"a""b' + delimiter + end + b'c"']]
    grid = read_grid(written(tmp_path, mark + end.join(delimiter.join(row) for row in rows)))
    last = f'a"b{delimiter.decode()}{end.decode()}c'
    assert [grid.cells(row) for row in range(len(grid))] == [["no", "name"], ["007", "Síle"], ["008", last]]


def test_a_stray_quotation_mark_inside_a_cell_opens_nothing(tmp_path: Path) -> None:
    grid = read_grid(written(tmp_path, b'no,plank\n1,5" oak\n2,"6"" ash"\n'))
    assert [row[1] for row in grid.rows(1)] == ['5" oak', '6" ash']


def test_a_quotation_mark_that_never_closes_is_told_with_its_place(tmp_path: Path) -> None:
    with pytest.raises(Unreadable) as caught:
        read_grid(written(tmp_path, b'no,name\n1,a\n2,a\n3,"c'))
    place = caught.value.findings[0].place
    assert place is not None
    assert (place.row_number, place.column) == (4, 1)


def test_a_lone_quotation_mark_swallows_no_row_behind_it(tmp_path: Path) -> None:
    grid = read_grid(written(tmp_path, b'no,name\n1,a\n2,"b\n3,c\n'))
    assert [grid.cells(row) for row in range(1, len(grid))] == [["1", "a"], ["2", '"b'], ["3", "c"]]
    assert [(note.slug, note.place and note.place.line) for note in grid.notes] == [("quotes-plain", 3)]


def test_a_delivery_leaves_nothing_when_it_is_not_committed(tmp_path: Path) -> None:
    with Delivery(replace=False, inputs=[]) as delivery:
        delivery.stage(tmp_path / "new.csv", [b"x"])
    assert list(tmp_path.iterdir()) == []


def test_a_delivered_file_is_readable_by_its_owner_alone(tmp_path: Path) -> None:
    with Delivery(replace=False, inputs=[]) as delivery:
        delivery.stage(tmp_path / "new.csv", [b"x"])
        delivery.commit()
    assert (tmp_path / "new.csv").stat().st_mode & 0o777 == 0o600


def test_a_file_that_appeared_meanwhile_is_not_overwritten_and_the_others_are_taken_away(tmp_path: Path) -> None:
    with Delivery(replace=False, inputs=[]) as delivery:
        for name in ("a.csv", "b.csv"):
            delivery.stage(tmp_path / name, [b"ours"])
        (tmp_path / "b.csv").write_bytes(b"theirs")
        with pytest.raises(Refused):
            delivery.commit()
    assert [(path.name, path.read_bytes()) for path in tmp_path.iterdir()] == [("b.csv", b"theirs")]


def test_columns_in_another_order_are_the_same_cells_of_the_same_rows(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("No,Name,Knots\nw-1,Ada,7\n,,\n", encoding="utf-8")
    grid = read_grid(tmp_path / "a.csv").numbered(1)
    arranged = ArrangedGrid(grid, [2, None, 0, 9]).numbered(2)
    assert [arranged.cells(row) for row in range(len(arranged))] == [
        ["Knots", "", "No", ""],
        ["7", "", "w-1", ""],
        [""] * 4,
    ]
    assert (arranged.first_cells(1, 2), arranged.is_blank(2), arranged.widths) == (["7", ""], True, [4, 4, 4])
    assert (arranged.facts, arranged.reading, arranged.source.number) == (grid.facts, grid.reading, 2)


@pytest.mark.parametrize(
    ("text", "count"),
    [
        ("3", 3),
        (" 3 ", 3),
        ("9" * 9, 999_999_999),
        ("1" + "0" * 9, 1),
        ("0", 1),
        ("", 1),
        (None, 1),
        ("-2", 1),
        ("²", 1),
    ],
)
def test_how_often_a_cell_is_repeated_is_a_number_that_can_be_meant(text: str | None, count: int) -> None:
    assert count_of(text) == count


@pytest.mark.parametrize(
    ("number", "text"),
    [
        (7.0, "7"),
        (7.25, "7.25"),
        (0.1 + 0.2, "0.3"),
        (1e-7, "0.0000001"),
        (float("inf"), "inf"),
        (-0.5, "-0.5"),
        (1e20, "1" + 20 * "0"),
    ],
)
def test_a_stored_number_is_written_without_an_exponent(number: float, text: str) -> None:
    assert number_text(number) == text


@pytest.mark.parametrize(("cells", "is_refused"), [(250_250, False), (250_249, True), (2_000_000, False)])
def test_few_cells_that_span_much_are_refused(cells: int, *, is_refused: bool) -> None:
    def check(rows: int) -> None:
        check_size(rows, 1_000, cells if rows > 1_000 else 1, Path("x.xlsx"), "Crew")

    check(1_000)
    if is_refused:
        with pytest.raises(Unreadable, match="strewn over 1,001 rows and 1,000 columns"):
            check(1_001)
    else:
        check(1_001)


def test_what_no_file_holds_is_told_with_its_line_and_its_column(tmp_path: Path) -> None:
    file = written(tmp_path, b"No,Name\n1,Kim\n2,Sa\x01\x02\n")
    note = next(one for one in read_grid(file, ReadAs(skip_controls=True)).notes if one.slug == "controls-skipped")
    assert (note.place.line if note.place else None, note.what[:24]) == (3, "2 control characters set")
    with pytest.raises(Unreadable, match=r"row 2, column B.*: this cell has 131,073 characters"):
        read_grid(written(tmp_path, b"No,Name\n1," + b"x" * 131_073 + b"\n"))
    assert len(read_grid(written(tmp_path, b"No,Name\n1," + b"x" * 131_072 + b"\n"))) == 2


def test_a_style_says_how_numbers_are_shown_and_whether_it_is_locked() -> None:
    styles = (
        '<styleSheet><numFmts><numFmt numFmtId="170" formatCode="000"/></numFmts><cellXfs>'
        '<xf numFmtId="0"/><xf numFmtId="9"><protection locked="false"/></xf>'
        '<xf numFmtId="170"><protection locked="0"/></xf><xf numFmtId="171"><protection locked="1"/></xf>'
        "</cellXfs></styleSheet>"
    )
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w") as archive:
        archive.writestr("xl/styles.xml", styles)
    found = Package(data.getvalue()).formats()
    assert found == [(0, "", True), (9, "0%", False), (170, "000", False), (171, "", True)]


@pytest.mark.parametrize("start", range(7))
@pytest.mark.parametrize("is_book", [False, True])
def test_rows_that_say_nothing_are_the_same_one_by_one_and_together(tmp_path: Path, start: int, is_book: bool) -> None:
    text = read_grid(written(tmp_path, b'No;Name;Mark\n1;Ann;7\n;;\n  ; ;\n"";"";""\n;;8\n'))
    grid = CellGrid(text.file, "", Kind.XLSX, [[*text.cells(row)] for row in range(len(text))]) if is_book else text
    blank = {row for row in range(len(grid)) if not "".join(grid.cells(row)).strip()}
    assert blank == {2, 3, 4}
    assert grid.blank_rows(start) == [row for row in sorted(blank) if row >= start]
    assert list(grid.filled_rows(start)) == [row for row in range(start, len(grid)) if row not in blank]
    assert [grid.is_blank(row) for row in range(len(grid))] == [row in blank for row in range(len(grid))]


def test_xml_has_no_entities_that_are_put_in_and_no_file_beside_it(tmp_path: Path) -> None:
    (tmp_path / "beside.txt").write_text("secret")
    for entity in ('"put in"', f'SYSTEM "{(tmp_path / "beside.txt").as_uri()}"'):
        root = elements(f"<!DOCTYPE a [<!ENTITY x {entity}>]><a>-&x;-</a>".encode())
        assert "".join(map(str, root.itertext())) in {"--", "-&x;-"}


def test_groups_of_nobody_are_told_with_their_file_and_a_short_line_is_in_no_group(tmp_path: Path) -> None:
    files = {"groups.csv": "Group,Hull\nKeel,7\nMast,8\nBoom,9\n", "crews.csv": "Id,Name,Group\n1,A,Keel\n2,B\n"}
    for name, text in files.items():
        (tmp_path / name).write_text(text)
    groups, crews = (read_grid(tmp_path / name) for name in files)
    grid = GroupGrid(Table(groups, 0, 1, 0), Table(crews, 0, 1, 2), ["Group", "Hull"], [0])
    assert [grid.cells(row) for row in range(3)] == [
        ["Id", "Name", "Group", "Hull"],
        ["1", "A", "Keel", "7"],
        ["2", "B"],
    ]
    told = next(note for note in grid.notes if note.slug == "groups-of-nobody")
    assert (str(told.place), told.what) == ("groups.csv", "nobody is in 2 groups of groups.csv: row 3 and row 4")
