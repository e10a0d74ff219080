"""The four laws of whole jobs: preview is a promise, every number is recounted, advice leads on, draft is obeyed."""

import csv
import io
import json
import re
import shlex
from collections.abc import Iterable
from fractions import Fraction
from html.parser import HTMLParser
from pathlib import Path
from typing import Any, NamedTuple

import openpyxl
from making import LETTERS, TRANSLATED, World, crosswalks_of, exports_of, form_heads, form_of, lay_out, sum_heading
from second_opinion import CHANGED, HELD, Expected, Opinion, correction, number_in
from started import skarvin

FATES = ("sent", "changed", "same", "kept", "held", "left out")
SCALES = {
    "words": "\n[scale.standing.bands]\nFull = 70\nPart = 40\nNone = 0\n",
    "letters": "\n".join(["\n[scale.standing.values]", *(f"{text} = {mark}" for text, mark in LETTERS.items()), ""]),
    "translated": "\n".join(
        ["\n[scale.standing.words]", *(f'"{ours}" = "{theirs}"' for ours, theirs in TRANSLATED.items()), ""]
    ),
}
"""The tables that a person writes for marks of words."""


class Run(NamedTuple):
    """A job that was written: what is true of it, where it lies, its ledger, and the second opinion."""

    world: World
    folder: Path
    data: dict[str, Any]
    opinion: Expected


class Broken(AssertionError):
    """A law that doesn't hold in a job."""


def hold(is_so: object, law: str, *facts: object) -> None:
    """Say which law doesn't hold."""
    if not is_so:
        raise Broken(" | ".join([law, *map(str, facts)]))


def run_job(world: World, folder: Path) -> None:
    """Run a whole job in a folder, and hold it against the laws.

    Raises:
        Broken: one doesn't hold.
    """
    lay_out(world, folder)
    draft(world, folder)
    decide(world, folder)
    opinion = Opinion(world).run()
    if not opinion.moved:
        nothing_moves(folder)
        return
    data = promise(world, folder, opinion)
    recount_text(Run(world, folder, data, opinion))
    after = {"again": again, "confirm": confirm, "mask": mask, "term": term, "advice": advice, "roster": roster}
    if world.job["held"] == "corrected" and (corrected := correct(world, folder)):
        opinion = Opinion(world, corrected).run()
        data = promise(world, folder, opinion)
    after[world.job["after"]](Run(world, folder, data, opinion))


# --- draft


def draft(world: World, folder: Path) -> None:
    """Draft is obeyed and obeys: what it writes is accepted, and what a person said stands in it."""
    options = list(world.options)
    if world.job["marks"] == "statuses":
        options += ["--status", "absent=ABS"]
        uses = ("Task=item title", "Result=mark", "Possible=maximum", "State=status")
        options += [word for use in uses for word in ("--use", use)] if world.job["export"] == "log" else []
    if world.job["export"] == "folder":
        options += ["--missing-maximum", "same"]
    is_told = (
        world.rng.random() < 0.5 and world.job["export"] != "folder" and world.job["target"] not in {"sample", "typing"}
    )
    if is_told:
        for item in world.items:
            options += ["--item", f"{item.heading}={item.to_heading}"]
    said = skarvin(folder, "draft", *exports_of(world), form_of(world), *options)
    hold(said.code == 0, "draft reads the job", said.err)
    file = folder / "transfer.toml"
    text = file.read_text(encoding="utf-8")
    for item in world.items if is_told else ():
        hold(f'to = "{item.to_heading}"' in text, "what was said stands in the draft", item)
    hold(
        'absent = "ABS"' in text or "absent=ABS" not in options or "absent" not in text, "a status as it was said", text
    )
    before = skarvin(folder, "preview")
    is_open = '= "?"' in re.sub(r"#.*", "", text)
    hold(before.code in ({4} if is_open else {0, 1, 4}), "preview takes what draft wrote", before.err)
    file.write_text(ruled(world, text), encoding="utf-8")


def set_key(text: str, table: str, key: str, value: str) -> str:
    """Return a transfer with a key of a table set."""
    head = f"[{table}]"
    if not re.search(rf"^\[{re.escape(table)}\]", text, re.MULTILINE):
        return f"{text.rstrip()}\n\n{head}\n{key} = {value}\n"
    start = re.search(rf"^\[{re.escape(table)}\][^\n]*\n", text, re.MULTILINE)
    assert start
    end = re.search(r"^\[", text[start.end() :], re.MULTILINE)
    stop = start.end() + end.start() if end else len(text)
    body = text[start.end() : stop]
    new, count = re.subn(
        rf"^{re.escape(key)} = [^\n]*", lambda _: f"{key} = {value}", body, count=1, flags=re.MULTILINE
    )
    return text[: start.end()] + (new if count else f"{key} = {value}\n{body}") + text[stop:]


def ruled(world: World, text: str) -> str:
    """Return a drafted transfer with the job's rules."""
    job = world.job
    text = answered(world, text)
    if job["rows"] != "once" or job["export"] == "two":
        rule = "agree" if job["rows"] == "once" else job["rows"]
        text = set_key(text, "students", "repeated", f'"{rule}"')
        if job["rows"] in {"first", "latest", "highest"} and job["export"] not in {"two", "folder"}:
            text = set_key(text, "students", "repeated_by", '"Day"')
    text = set_key(text, "marks", "existing", f'"{job["existing"]}"')
    if job["marks"] == "comma":
        text = set_key(text, "marks", "to_decimal_separator", '","')
        text = re.sub(r'^to_decimal_separator = "\."[^\n]*', 'to_decimal_separator = ","', text, flags=re.MULTILINE)
    if job["people"] == "section":
        text = set_key(text, "students", "only_sections", '["Keel"]')
    if world.left_out is not None:
        text = set_key(text, "students", "leave_out", f'["{world.numbers[world.left_out]}"]')
    if job["target"] == "below":
        text = set_key(text, "target", "add", '"below"')
    if job["target"] == "parts":
        text = set_key(text, "target", "rows", '"sent"')
        text = set_key(text, "target", "order", '"identifier"' if job["who"] != "names" else '"export"')
    text = re.sub(r'^labels = "[^"]*"', 'labels = "ABCD"', text, flags=re.MULTILINE)
    text = set_key(text, "students", "minimum_paired_percent", "0")
    return text + "".join(blocks(world, text))


def answered(world: World, text: str) -> str:
    """Return a drafted transfer without questions."""
    job = world.job
    for item in world.items:
        text = re.sub(
            rf'(from = "[^"\n]*{item.title}[^"\n]*"\n)to = "(?:\?|)"[^\n]*', rf'\1to = "{item.to_heading}"', text
        )
    if job["who"] == "crosswalk":
        ours = "Student number" if job["export"] == "folder" else "Learner no"
        text = set_key(text, "source", "identifier", f'"{ours}"')
        text = set_key(text, "target", "identifier", '"Registry no"')
    if job["marks"] in SCALES:
        head = r"^\[\[item\]\]\nfrom = [^\n]*\nto = \"[^\"\n]+\"[^\n]*\n(?:(?:from|to)_out_of[^\n]*\n)*"
        text = re.sub(rf"({head})(?:scale = [^\n]*\n)?", r'\1scale = "standing"' + "\n", text, flags=re.MULTILINE)
        text = re.sub(r"^\[scale\.[^\n]*\n(?:[^\[\n][^\n]*\n)*", "", text, flags=re.MULTILINE)
    return re.sub(r'^missing_maximum = "\?"[^\n]*', 'missing_maximum = "same"', text, flags=re.MULTILINE)


def blocks(world: World, text: str) -> list[str]:
    """Return the further tables of a job."""
    job, found = world.job, []
    sources = re.findall(r'^\[\[item\]\]\nfrom = ("[^\n]*")\nto = "[^"]', text, re.MULTILINE)
    if job["marks"] in SCALES:
        found.append(SCALES[job["marks"]])
    if world.listed is not None:
        found.append('\n[[list]]\nfile = "who.txt"\n')
    if job["who"] == "crosswalk":
        ways = [f'\n[[crosswalk]]\nfile = "{name}"\n' for name in crosswalks_of(world)]
        found += [f'{way}from = "Learner"\nto = "Registry"\n' for way in ways]
    if job["what"] == "total":
        whole = sum(item.out_of for item in world.items)
        names = ", ".join(one.split('"   ')[0] for one in sources)
        found.append(f'\n[categories]\nparts = [{names}]\n\n[[total]]\nname = "Sum"\nformula = "sum of parts"\n')
        found.append(f'out_of = {whole}\n\n[[item]]\nfrom = "Sum"\nto = "{sum_heading(world)}"\n')
    if job["what"] == "constant":
        found.append('\n[[constant]]\nmark = "P"\nto = "Here"\nany_column = true\n')
    if job["what"] == "comments" and not re.search(r"^\[\[comment\]\]", text, re.MULTILINE):
        found.append(
            '\n[[comment]]\nfrom = "Remark on Knots"\nto = "Remarks"\nof = "'
            + world.items[0].heading
            + '"\nany_column = true\n'
        )
    return found


# --- what a person decides


def decide(world: World, folder: Path) -> None:
    """Decide who the student is whose number and name are slipped in the form, in the list of pairings."""
    if world.slipped is None:
        return
    said = skarvin(folder, "students")
    hold(said.code in {0, 1}, "students are shown", said.err)
    file = folder / "pairings.csv"
    if not file.exists():
        return
    with file.open(encoding="utf-8-sig", newline="") as lines:
        rows = list(csv.reader(lines))
    place = rows[0].index("decision")
    for row in rows[1:]:
        if row[0] == world.numbers[world.slipped]:
            row[place] = "none" if world.job["people"] == "none" else f"9{world.theirs[world.slipped]}"
    with file.open("w", encoding="utf-8", newline="") as lines:
        csv.writer(lines).writerows(rows)


def correct(world: World, folder: Path) -> frozenset[tuple[int, str]]:
    """Correct every unreadable mark in the list of held marks; return whose they are, and what each says."""
    file = folder / "held.csv"
    if not file.exists():
        return frozenset()
    names = [", ".join(names) for names in world.names]
    with file.open(encoding="utf-8-sig", newline="") as lines:
        rows = list(csv.reader(lines))
    done = set()
    for row in rows[1:]:
        if row[4] in {"1O", "25"}:
            row[6:9] = ["M. Sá", "seen on paper", correction(world).text]
            done.add((names.index(row[2]), row[4]))
    with file.open("w", encoding="utf-8", newline="") as lines:
        csv.writer(lines).writerows(rows)
    hold(not done or "corrections to apply" in skarvin(folder).out, "skarvin says that corrections wait")
    return frozenset(done)


# --- law 1 and 2


def promise(world: World, folder: Path, opinion: Expected) -> dict[str, Any]:
    """What preview says, write does; and both are what the second opinion says. Return the ledger."""
    told = skarvin(folder, "preview", "--json")
    hold(told.code in {0, 1}, "preview is fit", told.err or told.out[:300])
    before = json.loads(told.out)
    done = skarvin(folder, "write", "--plain", "--workbook", "--replace")
    hold(done.code == told.code, "write ends as preview does", told.code, done.code, done.err)
    data: dict[str, Any] = json.loads((folder / "ledger.json").read_bytes())
    for key in ("fates", "items", "students", "rows", "totals", "needs_a_person"):
        hold(before[key] == data[key], "preview is a promise", key, before[key], data[key])
    items = {item["from"]["heading"] or item["from"]["title"]: item["fates"] for item in data["items"]}
    for title, fates in opinion.fates.items():
        named = [own for name, own in items.items() if name.partition(" (")[0] in {title, f"{title} essay"}]
        hold(len(named) == 1, "each item is told", title, list(items))
        hold(named[0] == {fate: fates[fate] for fate in FATES}, "fates", title, named[0], dict(fates))
    hold(
        data["fates"] == {fate: opinion.total[fate] for fate in FATES} or len(items) != len(opinion.fates),
        "all fates",
        data["fates"],
        dict(opinion.total),
    )
    cells(world, folder, opinion)
    hold(
        data["second_look"]["cells_that_differ"] == opinion.moved,
        "cells that differ",
        data["second_look"],
        opinion.moved,
    )
    return data


def table(file: Path) -> list[list[str]]:
    """Return the cells of a file; of one with a line for each mark, those of the table that it could be."""
    rows = plain_table(file)
    if rows[0][-2:] != ["Task", "Result"]:
        return rows
    students: dict[tuple[str, ...], dict[str, str]] = {}
    titles = {"Knots": 0, "Lofting": 1, "Rigging": 2, "Sum": 3}
    for *own, title, mark in rows[1:]:
        hold(title not in students.setdefault(tuple(own), {}), "one line of a student and item", own, title)
        students[tuple(own)][title] = mark
    heads = sorted(
        {title for own in students.values() for title in own}, key=lambda title: titles[title.split(" [")[0]]
    )
    return [
        [*rows[0][:-2], *heads],
        *([*who, *(own.get(title, "") for title in heads)] for who, own in students.items()),
    ]


def plain_table(file: Path) -> list[list[str]]:
    """Return the cells of a file, by the csv module or by another library than the program's."""
    if file.suffix == ".xlsx":
        sheet = openpyxl.load_workbook(file).worksheets[0]
        return [["" if cell is None else str(cell) for cell in row] for row in sheet.iter_rows(values_only=True)]
    text = file.read_text(encoding="utf-8-sig")
    return list(csv.reader(io.StringIO(text, newline=""), delimiter=";" if ";" in text.partition("\n")[0] else ","))


def cells(world: World, folder: Path, opinion: Expected) -> None:
    """Each cell of the written file says what the second opinion says."""
    if world.job["target"] == "typing":
        typed(world, folder, opinion)
        return
    form = folder / form_of(world)
    written = table(form.with_name(f"{form.stem}-import{form.suffix}"))
    heads = form_heads(world)
    hold(written[0] == heads, "the headings", written[0], heads)
    key = 0
    hold(world.job["target"] != "sample" or written[-1][0] == "END", "the last line of a sample stays", written[-1])
    by_key = {row[key]: row for row in written[1:] if row and row[key] != "END"}
    people = {}
    for who, (family, given) in enumerate(world.names):
        name = (
            f"9{world.theirs[who]}" if who == world.slipped and world.job["people"] == "decided" else world.theirs[who]
        )
        if (
            world.job["target"] in {"bare", "sample"}
            or who == world.absent
            or (who == world.slipped and world.job["people"] == "none")
        ):
            name = world.theirs[who] if world.job["who"] in {"crosswalk", "roster"} else world.numbers[who]
        people[who] = f"{given} {family}" if world.job["who"] == "names" else name
    sent = {who for who, _ in opinion.cells if who in opinion.touched}
    for (who, heading), text in opinion.cells.items():
        row = by_key.get(people[who])
        if row is None and world.job["target"] == "parts" and not text:
            continue
        if row is None and world.job["target"] == "parts":
            continue  # nothing new goes to this student
        hold(row is not None, "everybody with a mark has a row", who, people[who], sorted(by_key))
        hold(row and row[heads.index(heading)] == text, "a cell", who, heading, row, text)
    if world.job["target"] in {"bare", "sample"}:
        made = {who for (who, heading), text in opinion.cells.items() if text}
        hold(
            set(by_key) == {people[who] for who in made},
            "who gets a row",
            sorted(by_key),
            sorted(people[who] for who in made),
        )
    known = {(people[who], heading) for who, heading in opinion.cells}
    before = (
        {cells[key]: cells for cells in table(form)[1:]}
        if world.job["target"] not in {"bare", "sample", "below"}
        else {}
    )
    for name, row in by_key.items() if before else ():
        for place, text in enumerate(row):
            is_known = (name, heads[place]) in known
            hold(is_known or text == before[name][place], "untouched is untouched", name, heads[place], text)
    hold(sent <= set(people), "nobody else", sent)


def typed(world: World, folder: Path, opinion: Expected) -> None:
    lines = (folder / "screen-to-type.txt").read_text(encoding="utf-8").splitlines()
    rows = [[cell.strip() for cell in line.split("|")] for line in lines if "[ ]" in line]
    hold(len(rows) == len(world.form_order), "everybody on the screen has a line", len(rows))
    for who, row in zip(world.form_order, rows, strict=True):
        for place, item in enumerate(world.items):
            text = next(
                (
                    text
                    for (one, heading), text in opinion.cells.items()
                    if one == who and heading in {item.to_heading, item.heading}
                ),
                "",
            )
            hold(row[3 + place] == text or (not text and row[3 + place] in {"-", "?"}), "a typed cell", row, text)


def recount_text(run: Run) -> None:
    """Every number in what preview says is recounted."""
    world, folder, data, opinion = run
    text = " ".join(skarvin(folder, "preview").out.split())
    total = sum(opinion.total.values())
    fates = [
        f"{opinion.total[fate]} {'replaced' if fate == CHANGED else fate}" for fate in FATES if opinion.total[fate]
    ]
    if len(opinion.fates) == len(data["items"]):
        hold(
            re.search(rf"All {total} entries accounted for(?: \([^)]*\))?: {', '.join(fates)}[.;]", text),
            "the verdict's numbers",
            fates,
            text[:300],
        )
    hold(f"{opinion.moved} cell" in text, "cells that would be filled", opinion.moved, text[:400])
    counted = sum(map(int, re.findall(r"(\d+) (?:rows?|sheets?) of (?:a )?students?\b", text.partition("Items")[0])))
    forms = 0 if world.job["target"] in {"bare", "sample"} else len(world.form_order)
    added = data["target"]["rows_added"]
    there = len(data["students"]["in_form"])
    hold(
        there in {forms + added, forms, added} and counted >= len(world.rows),
        "rows of students",
        counted,
        there,
        forms,
        added,
    )
    held = opinion.total[HELD]
    waits = sum(map(int, re.findall(r"(\d+) (?:more )?marks? waits? for", text)[:1]))
    marks = re.search(r"To decide: [^.]*?(\d+) marks?(?=[,;.])", text)
    said = waits + (int(marks[1]) if marks and "waits" not in marks[0] else 0)
    hold(held == said or world.job["what"] == "comments", "held marks are counted once", held, said, text[:500])
    history = json.loads(skarvin(folder, "history", "--json").out)["runs"][-1]
    hold(
        history["counts"] == {fate: opinion.total[fate] for fate in FATES} or len(opinion.fates) != len(data["items"]),
        "the history's counts",
        history["counts"],
    )
    recount_reports(run)
    for item in data["items"]:
        if item["to"]:
            target, moved = item["target"], item["moved"]["after"]
            hold(
                target["before"]["count"] - target["replaced"]["count"] + moved["count"] == target["after"]["count"],
                "sums add up",
                item,
            )


def recount_reports(run: Run) -> None:
    """Every number of control totals is recounted, on the page and in the workbook; and what they list is all there."""
    world, folder, data, opinion = run
    page = Page.read(folder / "report.html")
    hold(data["verdict"] in page.text, "the page has the ledger's verdict")
    sheets = openpyxl.load_workbook(folder / "report.xlsx")
    book = [["" if cell is None else str(cell) for cell in row] for row in sheets["Items"].iter_rows(values_only=True)]
    heads = ["replaced" if fate == CHANGED else fate for fate in FATES]
    hold(page.table("Entries")[0][3:9] == heads == book[0][3:9], "the fates' headings", book[0])
    names = {item["from"]["title"]: title for title in opinion.fates for item in data["items"]
             if (item["from"]["title"] or "").partition(" (")[0] in {title, f"{title} essay"}}  # fmt: skip
    lines = [*page.table("Entries")[1:], *book[1:]]
    for line in lines:
        title = next((own for name, own in names.items() if line[0] in {name, own}), line[0].partition(" (")[0])
        if fates := opinion.fates.get(title):
            counts = [*(str(fates[fate]) for fate in FATES), str(sum(fates.values()))]
            hold(line[3:10] == counts, "control totals", title, line, counts)
    recount_sums(world, opinion, page.table("= import file")[1:])
    waits = sheets["Held"].iter_rows(min_row=2, values_only=True) if "Held" in sheets else ()
    listed = [row for row in waits if row[3]]
    hold(len(listed) == opinion.total[HELD], "held marks are listed", len(listed), opinion.total[HELD])


def recount_sums(world: World, opinion: Expected, lines: list[list[str]]) -> None:
    """The sums of the export's marks, of those moved, and of the form's are added up again."""
    sums = {title.partition(" (")[0]: [Fraction(cell.partition(" ")[0].replace(",", "")) for cell in cells]
            for title, *cells in lines}  # fmt: skip
    for place, item in enumerate(world.items):
        found = sums.get(item.title) or sums.get(f"{item.title} essay")
        if not found:
            continue
        marks = [row.marks[place] for row in world.rows]
        ours = sum(mark.value for mark in marks if mark.kind in {"number", "above"})
        hold(found[0] == ours or world.job["marks"] == "letters", "the sum of the export", item, found, ours)
        after = added_up(opinion.moved_to.get(item.to_heading, ()))
        hold(abs(found[2] - after) < Fraction(1, 100), "the sum of what is moved", item, found, after)
        theirs = added_up(text for (_, at), text in world.old.items() if at == place)
        hold(found[3] == theirs, "the sum of what the form has", item, found, theirs)


def added_up(texts: Iterable[str]) -> Fraction:
    """Return the sum of the texts that are numbers."""
    return sum(filter(None, map(number_in, texts)), Fraction(0))


class Page(HTMLParser):
    """The text and the tables of a page, as rows of texts."""

    def __init__(self) -> None:
        super().__init__()
        self.text = ""
        self.tables: list[list[list[str]]] = []
        self._cell: str | None = None

    @classmethod
    def read(cls, file: Path) -> "Page":
        page = cls()
        page.feed(file.read_text(encoding="utf-8"))
        return page

    def table(self, heading: str) -> list[list[str]]:
        """Return the first table that has a heading."""
        return next((rows for rows in self.tables if rows and heading in rows[0]), [[]])

    def handle_starttag(self, tag: str, attrs: object) -> None:  # noqa: ARG002 - as the class above has it
        if tag == "table":
            self.tables.append([])
        elif tag == "tr" and self.tables:
            self.tables[-1].append([])
        elif tag in {"td", "th"}:
            self._cell = ""

    def handle_endtag(self, tag: str) -> None:
        if tag in {"td", "th"} and self._cell is not None:
            self.tables[-1][-1].append(" ".join(self._cell.split()))
            self._cell = None

    def handle_data(self, data: str) -> None:
        self.text += data
        if self._cell is not None:
            self._cell += data


def nothing_moves(folder: Path) -> None:
    """Where nothing is to be sent, preview and write say the same."""
    told, done = skarvin(folder, "preview"), skarvin(folder, "write", "--plain")
    hold(told.code == done.code, "preview refuses what write refuses", told, done)
    hold(told.code in {0, 1, 4}, "nothing to send is no fault", told)


# --- what comes after


def fresh_export(world: World, folder: Path) -> str:
    """Write the target's own export after the upload, in another order."""
    form = folder / form_of(world)
    rows = plain_table(form.with_name(f"{form.stem}-import{form.suffix}"))
    if world.job["target"] == "parts":
        new = {row[0]: row for row in rows[1:]}
        rows = [rows[0], *(new.get(row[0], row) for row in table(form)[1:])]
    rows = [row for row in rows if row and row[0] != "END"]
    with (folder / "fresh.csv").open("w", encoding="utf-8-sig", newline="") as file:
        csv.writer(file).writerows([rows[0], *reversed(rows[1:])])
    return "fresh.csv"


def confirm(run: Run) -> None:
    """What arrived is counted alike wherever it is counted, and nothing is sent twice."""
    world, folder, data, opinion = run
    if world.job["target"] == "typing":
        return
    moved = opinion.moved - sum(1 for (_, _), text in opinion.cells.items() if not text)
    said = skarvin(folder, "confirm", fresh_export(world, folder))
    hold(said.code in {0, 1}, "the fresh export is read", said.err)
    text = " ".join(said.out.split())
    count = opinion.moved
    told = (f"All {count} marks that were sent have arrived", f"{count} of {count} mark sent arrived")
    hold(any(one in text for one in told), "all has arrived", count, text[:400])
    counts = json.loads(skarvin(folder, "history", "--json").out)["runs"][-1]["counts"]
    hold(counts.get("arrived") == moved, "history counts what arrived", counts, moved)
    state = " ".join(skarvin(folder).out.split())
    hold(f"({moved} arrived" in state, "skarvin counts what arrived", moved, state)
    hold(("Nothing is left to do" in state) == (not data["needs_a_person"]), "nothing is left to do", state)


def again(run: Run) -> None:
    """Twice is once: the written file as the form sends nothing."""
    world, folder, _, opinion = run
    if world.job["target"] in {"typing", "parts"}:
        return
    form = form_of(world)
    made = f"{Path(form).stem}-import{Path(form).suffix}"
    file = folder / "transfer.toml"
    file.write_text(file.read_text(encoding="utf-8").replace(f'file = "{form}"', f'file = "{made}"'), encoding="utf-8")
    told = skarvin(folder, "preview", "--json")
    hold(told.code in {0, 1}, "the written file is a form", told.err)
    fates = json.loads(told.out)["fates"]
    hold(not fates["sent"] and not fates["changed"], "twice is once", fates)
    hold(fates["held"] == opinion.total[HELD], "what is held stays held", fates, dict(opinion.total))


def mask(run: Run) -> None:
    """Masked, nobody is named."""
    world, folder, _, _ = run
    for command in (["students", "--mask"], ["preview", "--mask", "--all"], ["preview", "--mask", "--json"]):
        said = skarvin(folder, *command)
        hold(said.code in {0, 1}, "masked commands run", command, said.err)
        for names in world.names:
            hold(not any(name in said.out for name in names), "masked", command, names)


def term(run: Run) -> None:
    """A folder of transfers says of each what it says of itself."""
    _, folder, _, _ = run
    said = skarvin(folder.parent, "preview", "--transfer", folder.name)
    hold(said.code in {0, 1}, "a folder of transfers is previewed", said.err, said.out[-300:])
    text = " ".join(said.out.split())
    hold("1 transfer" in text, "one transfer is counted", text)


def roster(run: Run) -> None:
    """A class list goes into the target's roster form whole: everybody once, with a username of his or her own."""
    world, folder, _, _ = run
    lists = ("keel.csv", "mast.csv")
    for name, section in zip(lists, ("Keel", "Mast"), strict=True):
        there = [who for who, own in enumerate(world.sections[:-1]) if own == section]
        with (folder / name).open("w", encoding="utf-8", newline="") as file:
            lines = [[world.numbers[who], ", ".join(world.names[who])] for who in there]
            csv.writer(file).writerows([["Learner no", "Name"], *lines])
    (folder / "people.csv").write_text("Registry no;Username;Family name;Given name;Crew\n", encoding="utf-8")
    pattern = "{given 1}{family 3}"
    options = ("--form", "people.csv", "--username", pattern, "--section", "Keel", "--section", "Mast")
    said = skarvin(folder, "roster", *lists, *options)
    hold(said.code == 0, "the roster is written", said.err, said.out[-300:])
    rows = table(folder / "people-roster.csv")
    made = {row[0]: row[1:] for row in rows[1:]}
    count = len(world.names) - 1
    hold(f"All {count} students of the lists accounted for: {count} written" in said.out, "students are counted", count)
    hold(len(rows) == count + 1 and set(made) == set(world.numbers[:count]), "everybody once", rows)
    hold(len({row[0].casefold() for row in made.values()}) == count, "usernames are told apart", rows)
    for who in range(count):
        family, given = world.names[who]
        username, *rest = made[world.numbers[who]]
        hold(rest == [family, given, world.sections[who]], "who is who on the roster", rest)
        hold(username.startswith(f"{given[:1]}{family[:3]}".casefold()), "usernames by the pattern", username)


_KEYED = re.compile(
    r'(\w+) = "([^"]+)"[^()]*(?:; or [^()]*)?'
    r"\((?:(transfer\.toml), line (\d+)|under \[(\w+)\] of transfer\.toml)\)"
)


def advice(run: Run) -> None:
    """Each piece of advice leads on: done as it is said, its cause is gone."""
    world, folder, _, _ = run
    text = skarvin(folder, "preview").out
    for step in steps_of(text):
        match = _KEYED.search(step)
        if not match:
            continue
        key, value, line, table = match[1], match[2], match[4], match[5]
        file = folder / "transfer.toml"
        kept = file.read_text(encoding="utf-8")
        if line:
            lines = kept.split("\n")
            named = lines[int(line) - 1]
            hold(named.startswith((key, "[")), "advice names the line of its key", step, named)
        if line and lines[int(line) - 1].startswith(key):
            lines[int(line) - 1] = f'{key} = "{value}"'
            file.write_text("\n".join(lines), encoding="utf-8")
        else:
            where = table or re.search(r"\[(\w+)\]", lines[int(line) - 1])[1]  # type: ignore[index]
            file.write_text(set_key(kept, where, key, f'"{value}"'), encoding="utf-8")
        now = skarvin(folder, "preview")
        hold(now.code in {0, 1}, "advice is accepted", step, now.err)
        what = step.partition(":")[0]
        hold(not any(one.startswith(what) for one in steps_of(now.out)), "advice leads on", step, now.out[-700:])
        file.write_text(kept, encoding="utf-8")
    follow_next(world, folder, text)


def steps_of(text: str) -> list[str]:
    """Return the steps below the last sentence of what is to be decided, each in one line."""
    tail = text.rpartition("To decide: ")[2].partition("\n\n")[0]
    found: list[str] = []
    for line in tail.split("\n")[1:]:
        if line.startswith("    ") or not re.match(r"  \d", line):
            if found:
                found[-1] += " " + line.strip()
        else:
            found.append(line.strip())
    return found


def follow_next(world: World, folder: Path, text: str) -> None:
    """The next command can be pasted, and does what it says."""
    match = re.search(r"Next: (skarvin [^\n]*)\n?$", text.rstrip() + "\n")
    hold(match, "a next command stands last", text[-200:])
    assert match
    command = shlex.split(match[1])[1:]
    if command[0] == "confirm":
        command = [fresh_export(world, folder) if word == "FRESH_EXPORT" else word for word in command]
    said = skarvin(folder, *command)
    hold(said.code in {0, 1}, "the next command runs as it stands", command, said.err)
    if command[0] == "write" and world.job["target"] != "typing":
        follow_next(world, folder, said.out)
