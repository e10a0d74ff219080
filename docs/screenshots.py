"""Makes the pictures in docs/screenshots from the demo data.

Needs Debian's packages xvfb, xterm, imagemagick, x11-utils, chromium, libreoffice-calc-nogui and poppler-utils;
`skarvin` must be on the PATH.
"""

import os
import re
import shlex
import subprocess
import sys
import tempfile
import time
from pathlib import Path

OUT = Path(__file__).parent / "screenshots"
DISPLAY = ":97"
TERMINAL = {
    "look": "skarvin look workshop-marks.csv registry-form.csv",
    "draft": "skarvin draft workshop-marks.csv registry-form.csv --transfer again.toml; echo; sed -n 9,56p again.toml",
    "questions": "skarvin draft workshop-marks.csv bare-form.csv --transfer asked.toml",
    "students": "skarvin students",
    "roster": "skarvin roster yard-tests.csv --form roster-form.csv --username '{given 1}{family 7}' --replace",
    "preview": "skarvin preview",
    "write": "skarvin write --replace",
    "final": "skarvin preview",
    "confirm": "skarvin confirm registry-overview-1.txt --ledger ledger.json --replace",
    "history": "skarvin history && skarvin history --student w2203",
    "why": 'skarvin preview --why "Al-Rashid, Layla"',
    "quiz": "skarvin preview",
    "sample": "cat insurer-sample.csv && skarvin write --replace && cut -c1-100 insurer-sample-import.csv | head -4",
    "marked": "ls marked && skarvin look marked && skarvin write --replace && cut -c1-110 feedback.csv",
}
BEFORE = {
    "marked": ["rm -f feedback*"],
    "questions": [
        "rm -f asked.toml",
        r"sed '1s/ \[[0-9]*\]//g; 1s/Steam-bending/Bending frames/' registry-form.csv > bare-form.csv",
    ],
}
TYPED = {"questions": ("y", "1", "1")}
"""What is typed at the keyboard."""
FOLDERS = {
    "confirm": "weeks",
    "history": "weeks",
    "final": "final",
    "why": "final",
    "quiz": "quiz",
    "sample": "insurer",
    "marked": "essays",
}
WORKBOOKS = {"workbook": "harbour/licences-import.xlsx"}
PAGES = {
    "report": "report.html",
    "confirm-report": "weeks/registry-overview-1-confirm.html",
    "report-final": "final/report.html",
    "typing": "watch/watch-screen-to-type.html",
}


def shoot_terminal(name: str, command: str, folder: Path) -> None:
    """Run a command in a terminal window and take its picture."""
    parts = command.split(" && ")
    if typed := TYPED.get(name):
        answers = "; sleep 0.3; ".join(f"echo {answer}" for answer in typed)
        one = f"(sleep 1.6; {answers}) | script -qec {shlex.quote(command)} /dev/null"
        shown = [f"printf '$ %s\\n\\n' {shlex.quote(command)}; {one}; echo"]
    else:
        shown = [f"printf '$ %s\\n\\n' {shlex.quote(re.split(' [|]|;', one)[0])}; {one}; echo" for one in parts]
    shell = "; ".join([*BEFORE.get(name, ()), "clear", *shown, "sleep 30"])
    window = [
        "xterm",
        "-fa",
        "DejaVu Sans Mono",
        "-fs",
        "10",
        "-geometry",
        "118x70+0+0",
        "-bg",
        "#ffffff",
        "-fg",
        "#1c2430",
    ]
    environment = os.environ | {"DISPLAY": DISPLAY, "LC_ALL": "C.UTF-8"}
    terminal = subprocess.Popen([*window, "-b", "12", "-e", "bash", "-c", shell], cwd=folder, env=environment)
    time.sleep(4)
    subprocess.run(
        ["import", "-display", DISPLAY, "-window", "root", "-trim", str(OUT / f"{name}.png")],
        check=True,
        env=environment,
    )
    terminal.terminate()
    terminal.wait()


def shoot_workbook(name: str, file: Path) -> None:
    """Let a spreadsheet open a workbook and compute it, and take a picture of the page that it prints of its sheet."""
    for command in (
        ["soffice", "--headless", "--convert-to", "pdf", file.name],
        ["pdftoppm", "-r", "110", "-png", "-f", "2", "-l", "2", "-singlefile", f"{file.stem}.pdf", "page"],
        ["convert", "page.png", "-trim", str(OUT / f"{name}.png")],
    ):
        subprocess.run(command, cwd=file.parent, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def shoot_page(name: str, page: Path) -> None:
    """Take the picture of a page."""
    flags = ["--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--hide-scrollbars"]
    flags += [
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--window-size=1280,800",
    ]
    with tempfile.TemporaryDirectory() as profile:
        subprocess.run(
            ["chromium", *flags, f"--user-data-dir={profile}", f"--screenshot={OUT / name}.png", page.as_uri()],
            check=True,
            stderr=subprocess.DEVNULL,
        )


def main() -> None:
    """Make the pictures named on the command line, or all."""
    wanted = set(sys.argv[1:]) or {*TERMINAL, *WORKBOOKS, *PAGES}
    OUT.mkdir(exist_ok=True)
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x1190x24"], stderr=subprocess.DEVNULL)
    time.sleep(1)
    try:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name) / "tidewrack"
            subprocess.run(["skarvin", "demo", str(folder), "--all"], check=True, stdout=subprocess.DEVNULL)
            for shot, command in TERMINAL.items():
                if shot in wanted:
                    shoot_terminal(shot, command, folder / FOLDERS.get(shot, ""))
            for shot, workbook in WORKBOOKS.items():
                if shot in wanted:
                    shoot_workbook(shot, folder / workbook)
            for shot, page in PAGES.items():
                if shot in wanted:
                    shoot_page(shot, folder / page)
    finally:
        screen.terminate()


if __name__ == "__main__":
    main()
