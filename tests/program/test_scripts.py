"""Files of schools whose scripts aren't Latin, as their spreadsheets save them: in the encodings of their systems."""

import json
from pathlib import Path

import pytest

from conftest import Skarvin

SCHOOLS = {
    "cp932": (
        "学籍番号,氏名,小テスト,期末試験",
        ("佐藤 花子", "髙橋 健", "山﨑 翔", "ﾀﾅｶ ﾐｻｷ"),
        "０１２３４５６７８９",
    ),
    "gb18030": ("学号,姓名,测验,期末考试", ("王小明", "李娜", "欧阳修文", "张怡"), "0123456789"),
    "cp950": ("學號,姓名,小考,期末考", ("陳怡君", "林志明", "歐陽文", "張雅婷"), "0123456789"),
    "cp949": ("학번,이름,퀴즈,기말고사", ("김민준", "이서연", "박지훈", "최수빈"), "0123456789"),
    "koi8-r": (
        "Номер,Фамилия и имя,Тест,Экзамен",
        ("Иванова Анна", "Петров Олег", "Ким Юлия", "Жук Яна"),
        "0123456789",
    ),
    "cp1256": ("رقم الطالب,الاسم,اختبار,الامتحان", ("أحمد علي", "فاطمة حسن", "يوسف خالد", "ليلى سمير"), "0123456789"),
    "cp1255": ("מספר תלמיד,שם,בוחן,מבחן", ("כהן דנה", "לוי יוסי", "מזרחי נועה", "פרץ איתי"), "0123456789"),
    "cp874": ("รหัสนักเรียน,ชื่อ,ทดสอบ,ปลายภาค", ("สมชาย ใจดี", "สมหญิง รักเรียน", "วิชัย ทองดี", "มานี มีนา"), "0123456789"),
}


SHEETS = {
    "ja": "学籍番号,氏名,組,小テスト1（20点）,中間考査（100点満点）,合計点,備考|欠席|免除|平均点|"
    "番号,名前,中間考査 [100],小テスト1 [20]",
    "zh": "学号,姓名,班级,测验1（满分20分）,期中考试（100分）,总分,备注|缺考|免修|平均分|"
    "编号,姓名,期中考试 (100),测验1 (20)",
    "ko": "학번,이름,반,퀴즈1(20점),중간고사(만점 100),총점,비고|결석|면제|평균|번호,성명,중간고사 (100),퀴즈1 (20)",
    "ru": "№ зачётки,ФИО,Группа,Тест 1 (из 20),Экзамен (макс. 100),Итого,Примечание|неявка|освобождён|Средний балл|"
    "Номер,Студент,Экзамен [100],Тест 1 [20]",
    "ar": "رقم الطالب,الاسم,الشعبة,اختبار 1 (من 20),الامتحان (من 100),المجموع,ملاحظات|غائب|معفى|المتوسط|"
    "الرقم,اسم الطالب,الامتحان [100],اختبار 1 [20]",
    "he": "מס' תלמיד,שם התלמיד,כיתה,בוחן 1 (מתוך 20),מבחן (מתוך 100),סה״כ,הערות|נעדר|פטור|סה״כ|"
    "מספר,שם,מבחן [100],בוחן 1 [20]",
    "th": "เลขประจำตัว,ชื่อ-นามสกุล,ห้อง,ทดสอบ 1 (เต็ม 20),สอบกลางภาค (100 คะแนน),รวม,หมายเหตุ|ขาดสอบ|ยกเว้น|เฉลี่ย|"
    "รหัสนักเรียน,ชื่อ,สอบกลางภาค [100],ทดสอบ 1 [20]",
}
"""An export's headings, two statuses, what a row of averages is called, and the headings of a form."""


def as_windows(text: str, codec: str) -> bytes:
    """Return a text as that system saves it; of two codes of Windows-932 it takes those of the table of Microsoft."""
    data = text.encode(codec)
    return data.replace(b"\xee\xe0", b"\xfb\xfc").replace(b"\xed\x95", b"\xfa\xb1") if codec == "cp932" else data


@pytest.mark.parametrize("codec", SCHOOLS)
def test_marks_move_in_the_encoding_and_the_digits_of_a_school(tmp_path: Path, skarvin: Skarvin, codec: str) -> None:
    heading, names, digits = SCHOOLS[codec]
    own = str.maketrans("0123456789", digits)
    marks = [(7 + row, str(81 + row).translate(own)) for row in range(len(names))]
    rows = [f"{1201 + row},{name},{marks[row][0]},{marks[row][1]}" for row, name in enumerate(names)]
    (tmp_path / "export.csv").write_bytes(as_windows("\r\n".join([heading, *rows, ""]), codec))
    number, name, first, second = heading.split(",")

    def form_of(cells: list[str]) -> bytes:
        wide = [str(1201 + row).translate(own) for row in range(len(names))]
        lines = [f"{wide[row]};{names[row]};{cells[row]}" for row in reversed(range(len(names)))]
        return as_windows("\r\n".join([f"{number};{name};{second};{first}", *lines, ""]), codec)

    (tmp_path / "form.csv").write_bytes(form_of([";"] * len(names)))
    looked = json.loads(skarvin("look", "export.csv", "--json").out)["items"][1]
    assert (looked["smallest"], looked["largest"]) == (marks[0][1], marks[-1][1])
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    said = " ".join(skarvin("preview", "--all").out.split())
    assert "4 students paired by '" + number in said
    assert ("wide characters or digits of another script read as plain ones (4)" in said) is (digits[0] != "0")
    run = skarvin("write")
    assert run.code == 0, run.err + run.out
    written = (tmp_path / "form-import.csv").read_bytes()
    assert written == form_of([f"{81 + row};{7 + row}" for row in range(len(names))])
    assert (tmp_path / "form-restore.csv").read_bytes() == (tmp_path / "form.csv").read_bytes()
    (tmp_path / "exported.csv").write_text(written.decode(codec), encoding="utf-8")
    assert skarvin("confirm", "exported.csv").code == 0


def test_a_form_whose_bytes_would_change_is_refused_and_the_way_on_leads_on(tmp_path: Path, skarvin: Skarvin) -> None:
    text = "番号;氏名;期末試験\n1201;佐藤 花子;\n1202;髙橋 健;\n1203;田中 美咲;\n"
    (tmp_path / "export.csv").write_text("番号,氏名,期末試験\n1201,佐藤 花子,8\n1202,髙橋 健,9\n1203,田中 美咲,7\n")
    (tmp_path / "form.csv").write_bytes(
        text.encode("cp932")
    )  # the other code of the character, which Windows never writes
    said = skarvin("draft", "export.csv", "form.csv").err
    assert (
        "some characters have two codes in Windows-932 (Shift JIS), and would be written as the other one (line 3)"
        in said
    )
    assert "Save it as UTF-8, and name that file." in said
    assert not (tmp_path / "transfer.toml").exists()
    (tmp_path / "form.csv").write_text(text, encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    assert skarvin("write").code == 0
    (tmp_path / "other.csv").write_bytes(text.replace(";\n", ";5\n").encode("cp932"))  # an export may have them
    assert "some characters have two codes" in skarvin("look", "other.csv").out


def test_a_folder_of_classes_and_lines_are_moved_in_japanese(tmp_path: Path, skarvin: Skarvin) -> None:
    names = SCHOOLS["cp932"][1]
    for crew, first in (("A組", 2301), ("B組", 2311)):
        rows = [f"{first + row},{name},{crew},{8 + row},{row * 20}" for row, name in enumerate(names)]
        text = "\r\n".join(["学籍番号,氏名,クラス,小テスト１（20点）,期末試験（100点満点）", *rows, ""])
        lines = [f"{first + row};;;{name}" for row, name in enumerate(names)]
        form = "\r\n".join(["番号;期末試験 [100];小テスト1 [20];名前", *lines, ""])
        for folder, content in (("in", text), ("out", form)):
            (tmp_path / folder).mkdir(exist_ok=True)
            (tmp_path / folder / f"{crew}.csv").write_bytes(as_windows(content, "cp932"))
    assert skarvin("draft", "--each", "in", "out").code == 0
    assert skarvin("write", "--transfer", "out").code == 0
    written = (tmp_path / "out" / "B組" / "B組-import.csv").read_bytes().decode("cp932").splitlines()
    assert written[1:] == [f"{2311 + row};{row * 20};{8 + row};{name}" for row, name in enumerate(names)]
    (tmp_path / "lines.csv").write_bytes(as_windows("番号;課題;点数\r\n", "cp932"))
    assert skarvin("draft", "in/A組.csv", "lines.csv", "--missing-maximum", "same").code == 0
    assert skarvin("write").code == 0
    text = (tmp_path / "lines-import.csv").read_bytes().decode("cp932")
    marks = [(f"{2301 + row}", f"{8 + row}", f"{row * 20}") for row in range(len(names))]
    want = {
        f"{who};{item};{mark}"
        for who, *own in marks
        for item, mark in zip(("小テスト１", "期末試験"), own, strict=True)
    }
    assert set(text.splitlines()[1:]) == want


@pytest.mark.parametrize("language", SHEETS)
def test_a_sheet_with_averages_statuses_totals_and_comments_is_moved(
    tmp_path: Path, skarvin: Skarvin, language: str
) -> None:
    headings, absent, exempt, averages, form = SHEETS[language].split("|")
    marks = [["10", "60"], [absent, "65"], ["12", exempt], ["13", "75"]]
    names = SCHOOLS["cp949"][1]
    rows = [f"{4101 + row},{names[row]},1,{','.join(marks[row])},{80 + row},{'!' * row}" for row in range(4)]
    lines = ["2026,,,,,,", ",,,,,,", headings, *rows, f"{averages},,,11,66,81,"]
    (tmp_path / "export.csv").write_text("\n".join([*lines, ""]), encoding="utf-8")
    blank = [f"{4101 + row};{names[row]};;" for row in (2, 0, 3, 1)]
    (tmp_path / "form.csv").write_text("\n".join([form.replace(",", ";"), *blank, ""]), encoding="utf-8")
    looked = json.loads(skarvin("look", "export.csv", "--json").out)
    uses = [column["taken_for"] for column in looked["columns"]]
    assert uses == ["student number", "full name", "section", "item", "item", "total", "comment"]
    assert looked["students"] == 4
    assert skarvin("draft", "export.csv", "form.csv", "--status", f"{absent}=0", "--status", f"{exempt}=EX").code == 0
    assert skarvin("write").code == 0
    written = (tmp_path / "form-import.csv").read_text(encoding="utf-8").splitlines()[1:]
    assert written == [
        f"4103;{names[2]};EX;12",
        f"4101;{names[0]};60;10",
        f"4104;{names[3]};75;13",
        f"4102;{names[1]};65;0",
    ]
