"""Class lists of many languages in the encodings that are usual for them."""

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from skarvin.core.grid.encoding import decode
from skarvin.core.grid.several_bytes import WINDOWS_932, find_several_bytes, lines_that_change

CLASSES: dict[tuple[str, tuple[str, ...]], str] = {
    (
        "pl",
        ("cp1250", "iso8859-2"),
    ): "Nr albumu;Nazwisko i imię;Kadłub\n1;Łucja Wójcik;7\n2;Żaneta Dąbrowska;8\n3;Zbigniew Świątek;9\n",
    (
        "cs",
        ("cp1250", "iso8859-2"),
    ): "Číslo žáka;Příjmení a jméno;Úkol\n1;Dvořák Jiří;7\n2;Nováková Růžena;8\n3;Šimůnek Ondřej;9\n",
    ("hu", ("cp1250", "iso8859-2")): "Azonosító;Név;Dolgozat\n1;Kovács Gergő;7\n2;Szűcs Ágnes;8\n3;Tóth Örs;9\n",
    ("ro", ("cp1250",)): "Nr;Nume şi prenume;Temă\n1;Ionescu Ştefan;7\n2;Bălan Ioana;8\n3;Ţurcanu Mihăiţă;9\n",
    ("ru", ("cp1251",)): "Номер;Фамилия и имя;Контрольная\n1;Иванова Анна;7\n2;Петров Олег;8\n",
    ("uk", ("cp1251",)): "Номер;Прізвище та ім'я;Контрольна\n1;Шевченко Їжак;7\n2;Ґалаґан Євген;8\n",
    ("de", ("cp1252", "iso8859-15")): "Nr;Name;Übung\n1;Jürgen Müller;7\n2;Käthe Groß;8\n",
    (
        "fr",
        ("cp1252", "iso8859-15", "mac-roman"),
    ): "N°;Élève;Contrôle\n1;Zoé Lefèvre;7\n2;François Hébert;8\n3;Noël Gâteau;7\n",
    ("es", ("cp1252",)): "Nº;Alumno;Examen\n1;Íñigo Muñoz;7\n2;José Peña;8\n",
    ("pt", ("cp1252",)): "Nº;Aluno;Avaliação\n1;João Conceição;7\n2;Inês Magalhães;8\n",
    ("da", ("cp1252",)): "Nr;Elevens navn;Prøve\n1;Søren Ågård;7\n2;Mette Kjær;8\n",
    ("sv", ("cp1252",)): "Nr;Elev;Läxförhör\n1;Åsa Lindström;7\n2;Göran Sjö;8\n",
    ("is", ("cp1252",)): "Nr;Nafn;Próf\n1;Þórunn Guðmundsdóttir;7\n2;Sigurður Ægisson;8\n3;Ýmir Jónsson;6\n",
    ("el", ("cp1253",)): "Αρ;Ονοματεπώνυμο;Διαγώνισμα\n1;Παπαδόπουλος Γιώργος;7\n2;Ελένη Νικολάου;8\n",
    ("tr", ("cp1254",)): "No;Adı soyadı;Sınav\n1;Şule Yıldız;7\n2;Çağrı Öztürk;8\n3;İpek Gündoğdu;9\n",
    ("lt", ("cp1257",)): "Nr;Mokinys;Užduotis\n1;Žygimantas Kazlauskas;7\n2;Rūta Šimkutė;8\n3;Eglė Čiurlionytė;8\n",
    ("lv", ("cp1257",)): "Nr;Skolēns;Mājasdarbs\n1;Jānis Bērziņš;7\n2;Ilze Kļaviņa;8\n3;Ģirts Ķezbers;7\n",
    ("et", ("cp1257", "cp1252")): "Nr;Õpilase nimi;Kontrolltöö\n1;Jüri Põder;7\n2;Käthe Öövel;8\n",
    (
        "ru2",
        ("koi8-r", "cp866"),
    ): "Номер;Фамилия и имя;Контрольная\n1;Иванова Анна;7\n2;Петров Олег;8\n3;Жуков Артём;9\n",
    ("fr2", ("cp850",)): "N°;Élève;Contrôle\n1;Zoé Lefèvre;7\n2;François Hébert;8\n3;Noël Gâteau;7\n",
    ("pl2", ("cp852",)): "Nr;Nazwisko i imię;Kadłub\n1;Łucja Wójcik;7\n2;Żaneta Dąbrowska;8\n3;Zbigniew Świątek;9\n",
    ("he", ("cp1255",)): "מספר תלמיד;שם;מבחן\n1;כהן דנה;7\n2;לוי יוסי;8\n3;מזרחי נועה;9\n",
    ("ar", ("cp1256",)): "رقم الطالب;الاسم;الامتحان\n1;أحمد علي;7\n2;فاطمة حسن;8\n3;يوسف خالد;9\n",
    ("th", ("cp874",)): "รหัสนักเรียน;ชื่อ;สอบปลายภาค\n1;สมชาย ใจดี;7\n2;สมหญิง รักเรียน;8\n3;วิชัย ทองดี;9\n",
    ("ja", ("cp932",)): "学籍番号;氏名;期末試験\n1;佐藤 花子;７\n2;髙橋 健;8\n3;ﾀﾅｶ ﾐｻｷ ﾊﾅｺ ｻﾌﾞﾛｳ ﾖｼｵ;欠席\n",
    ("zh", ("gb18030",)): "学号;姓名;期末考试\n1;王小明;7\n2;李娜;8\n3;欧阳修文;缺考\n",
    ("tw", ("cp950",)): "學號;姓名;期末考\n1;陳怡君;7\n2;林志明;8\n3;歐陽文;缺考\n",
    ("ko", ("cp949",)): "학번;이름;기말고사\n1;김민준;7\n2;이서연;8\n3;박지훈;결석\n",
    ("mix", ("cp1252",)): "Id;Name;Test\n1;José Núñez;7\n2;Jürgen Weiß;8\n3;Åse Bjørn;7\n4;Chloé Prévôt;6\n",
}


@pytest.mark.parametrize(
    ("text", "codec"), [(text, codec) for (_, codecs), text in CLASSES.items() for codec in codecs]
)
def test_the_encoding_of_a_class_is_told_by_its_letters(text: str, codec: str) -> None:
    found, encoding = decode(text.encode(codec), Path("x.csv"))
    assert found == text, encoding


@pytest.mark.parametrize("codec", ["cp1252", "cp1253", "cp1251", "cp1250", "mac-roman"])
@pytest.mark.parametrize("heading", ["N.º", "Nº", "№", "№ п/п", "1ª", "2.º teste", "Nota 1ª", "Н", "Ω", "Α.Μ."])
def test_a_lone_sign_of_a_number_is_no_letter_of_another_alphabet(heading: str, codec: str) -> None:
    """A file whose only sign beyond ASCII is that of a number; where an alphabet's letter stands alone, it is told."""
    text = f"{heading};Aluno;Teste\n1;Ana Reis;7\n2;Rui Dias;8\n"
    try:
        data = text.encode(codec)
    except UnicodeEncodeError:
        return
    found, encoding = decode(data, Path("x.csv"))
    is_sure = heading[0] in "N№12" and codec in {"cp1252", "cp1251"}
    assert found == text or (not is_sure and encoding.others), (found[:20], encoding)


def test_where_another_encoding_fits_nearly_as_well_it_is_said_how_it_is_named() -> None:
    text = "Id;Name;Test\n1;José Núñez;7\n2;Jürgen Weiß;8\n3;Åse Bjørn;7\n4;Chloé Prévôt;6\n"
    _, encoding = decode(text.encode("cp1252"), Path("x.csv"))
    assert "--encoding cp1250" in encoding.evidence


NAMES = {
    "gb18030": ("王李张刘陈杨黄赵吴周", "伟芳娜秀敏静丽强磊军婷琪瑶莹怡晗妍欣佳雨泽宇轩浩然子涵"),
    "cp950": ("陳林黃張李王吳劉蔡楊", "家豪志明俊傑建宏淑芬美玲雅婷怡君佩珊宜庭詠晴冠宇"),
    "cp949": ("김이박최정강조윤장임", "민준서연지우현수빈하은도윤예진시아영호성재경희정미"),
    "cp932": ("佐藤 鈴木 高橋 田中 髙橋 渡辺 齋藤 山﨑", "花子 一郎 健 美咲 翔 陽菜 蓮 結衣 さくら あおい"),
    "koi8-r": ("Иванова Петров Сидоров Лебедев Щербакова Чайковский", "Анна Олег Илья Юлия"),
    "cp1255": ("כהן לוי מזרחי פרץ ביטון", "דנה יוסי נועה איתי מאיה"),
    "cp1256": ("أحمد فاطمة يوسف ليلى عمر", "علي حسن خالد سمير"),
    "cp1252": ("Müller Groß Lefèvre Hébert Muñoz Conceição", "Zoé François Jürgen Inês"),
    "cp1250": ("Wójcik Dąbrowska Świątek Dvořák Růžičková", "łąęśżźćčřů"),
}


@pytest.mark.parametrize("codec", NAMES)
@settings(max_examples=12)
@given(st.data())
def test_the_encoding_is_told_by_some_twenty_names_whatever_they_are(codec: str, data: st.DataObject) -> None:
    """Only the names say more than ASCII: nothing else helps."""
    families, givens = (said.split() if " " in said else list(said) for said in NAMES[codec])
    given_name = st.lists(st.sampled_from(givens), min_size=1, max_size=1 if " " in NAMES[codec][1] else 2).map("".join)
    names = st.tuples(st.sampled_from(families), given_name)
    drawn = data.draw(st.lists(names, min_size=18, max_size=20, unique=True))
    text = "No,Name,Knots\n" + "".join(f"{number},{' '.join(name)},7\n" for number, name in enumerate(drawn, 1))
    assert decode(text.encode(codec), Path("x.csv"))[0] == text


@given(st.text("髙﨑佐藤ⅰ≒㈱№￢∵アｱA;1", max_size=20))
def test_windows_932_is_written_as_windows_does_or_its_lines_are_told(text: str) -> None:
    written = text.encode(WINDOWS_932)
    assert written.decode("cp932") == text
    other = text.encode("cp932")
    assert lines_that_change(written, text, WINDOWS_932) == []
    assert bool(lines_that_change(other, text, WINDOWS_932)) == (other != written)
    assert "髙﨑".encode(WINDOWS_932) == b"\xfb\xfc\xfa\xb1"  # by the table of the code page


@pytest.mark.parametrize("times", [1, 5, 30])
def test_text_in_two_encodings_of_letters_is_no_text_of_several_bytes(times: int) -> None:
    utf8 = ["1;José Núñez;7\n".encode(), "3;Åse Bjørn;7\n".encode(), "4;Zoé Côté;5\n".encode()] * times
    text, encoding = decode(b"".join([b"Id;Name;Test\n", *utf8, "2;Jürgen Müller;6\n".encode("cp1252")]), Path("x.csv"))
    assert (encoding.codec, len(encoding.elsewhere)) == ("utf-8", 1)
    assert "José Núñez" in text


def test_letters_that_fit_into_their_words_are_letters_even_if_they_may_be_common_characters() -> None:
    text = "No,Name\n1,Суворова Роза\n"
    data = text.encode("koi8-r")
    assert find_several_bytes(data) == ("gb18030",)
    assert decode(data, Path("x.csv"))[0] == text


@pytest.mark.parametrize(
    ("text", "codec"), [("学号,姓名\n1,王小明\n2,李娜\n", "gbk"), ("学号,姓名\n1,王小明\n2,李㐀\n", "gb18030")]
)
def test_chinese_text_is_in_the_smaller_encoding_if_that_has_all_of_it(text: str, codec: str) -> None:
    found, encoding = decode(text.encode("gb18030"), Path("x.csv"))
    assert (found, encoding.codec) == (text, codec)


@pytest.mark.parametrize(
    ("name", "data", "text"),
    [
        ("gb2312", b"\x81\x40", "丂"),
        ("EUC-KR", b"\x81\x41", "갂"),
        ("big5", b"\xf9\xd6", "碁"),
        ("TIS-620", b"\xa1", "ก"),
    ],
)
def test_the_name_of_a_standard_means_the_encoding_of_windows_that_has_more(name: str, data: bytes, text: str) -> None:
    assert decode(data, Path("x.csv"), name)[0] == text


@pytest.mark.parametrize("name", ["cp932", "Shift_JIS", "sjis", "Windows-932 (Shift JIS)"])
def test_windows_932_is_written_as_windows_does_if_it_is_named_too(name: str) -> None:
    data = b"\xfb\xfc\x8b\xb4,7\n"
    text, encoding = decode(data, Path("x.csv"), name)
    assert (text, text.encode(encoding.codec), encoding.changing) == ("髙橋,7\n", data, ())
