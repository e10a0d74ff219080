"""Class lists of twenty languages in the encodings of one byte a character that are usual for them."""

from pathlib import Path

import pytest

from skarvin.core.grid.encoding import decode

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
