"""Each worked example of the docs is run in the demo's folder, and gives what the docs show."""

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

from conftest import shared_demo

DOCS = Path(__file__).parents[2] / "docs"
_BLOCK = re.compile(r"^```(\w*)\n(.*?)^```$", re.MULTILINE | re.DOTALL)
PAGES = ("forms",)


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return shared_demo(tmp_path_factory)


def examples(page: str) -> list[tuple[str, str]]:
    """Return the blocks of a page that are files, commands or what these say, in their order."""
    blocks = _BLOCK.findall((DOCS / f"{page}.md").read_text(encoding="utf-8"))
    is_file = re.compile(r"# [\w-]+\.toml\n")
    return [(kind, text) for kind, text in blocks if kind in {"sh", "text"} or (kind == "toml" and is_file.match(text))]


@pytest.mark.parametrize("page", PAGES)
def test_the_examples_of_a_page_give_what_it_shows(demo: Path, page: str) -> None:
    python = Path(sys.executable).parent
    environment = os.environ | {
        "PATH": f"{python}{os.pathsep}{os.environ['PATH']}",
        "COLUMNS": "80",
        "LC_ALL": "C.UTF-8",
    }
    said, count = "", 0
    for kind, text in examples(page):
        if kind == "toml":
            (demo / text.split("\n")[0].removeprefix("# ")).write_text(text, encoding="utf-8")
        elif kind == "sh":
            run = subprocess.run(["sh", "-c", text], cwd=demo, env=environment, capture_output=True, check=False)
            assert run.returncode in {0, 1}, run.stderr.decode()
            said = run.stdout.decode().replace("\r\n", "\n")
        elif said:
            assert text in said
            said, count = "", count + 1
    assert count >= 8
