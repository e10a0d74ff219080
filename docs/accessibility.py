"""Runs axe-core, a checker of accessibility, on every page of the demo in a headless browser, by day and by night.

Needs chromium, node's npm (for axe-core), and `skarvin` on the PATH. Ends with 1 if it finds anything.
"""

import json
import re
import subprocess
import sys
import tarfile
import tempfile
from pathlib import Path

CHECK = """
document.querySelectorAll("details").forEach(one => one.open = true);
axe.run(document).then(found => {
  const told = found.violations.map(one => `${one.id}: ${one.help} (${one.nodes.length}) ${one.nodes[0].html}`);
  document.body.innerHTML = "<pre id='found'></pre>";
  document.getElementById("found").textContent = JSON.stringify(told);
});
"""
SCHEMES = {"light": "1", "dark": "0"}


def axe(folder: Path) -> str:
    """Return the checker's script."""
    subprocess.run(["npm", "pack", "--silent", "axe-core"], cwd=folder, check=True, stdout=subprocess.DEVNULL)
    with tarfile.open(next(folder.glob("axe-core-*.tgz"))) as package:
        script = package.extractfile("package/axe.min.js")
        return script.read().decode() if script else ""


def check(page: Path, script: str, scheme: str, folder: Path) -> list[str]:
    """Return what is found on a page."""
    own = f"<script>{script.replace('</script>', '')}</script><script>{CHECK}</script></body>"
    copy = folder / "page.html"
    copy.write_text(page.read_text(encoding="utf-8").replace("</body>", own), encoding="utf-8")
    flags = ["--headless", "--no-sandbox", "--disable-gpu", "--virtual-time-budget=30000", "--dump-dom"]
    flags.append(f"--blink-settings=preferredColorScheme={SCHEMES[scheme]}")
    run = subprocess.run(["chromium", *flags, copy.as_uri()], check=True, capture_output=True, text=True)
    found = re.search(r"""<pre id=["']found["']>(.*?)</pre>""", run.stdout, re.DOTALL)
    return json.loads(found[1]) if found else ["the check didn't run"]


def main() -> int:
    """Check every page of the demo."""
    count = 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        subprocess.run(["skarvin", "demo", str(folder / "demo")], check=True, stdout=subprocess.DEVNULL)
        roster = ["skarvin", "roster", "workshop-marks.csv", "--form", "roster-form.csv"]
        subprocess.run(roster, cwd=folder / "demo", check=False, stdout=subprocess.DEVNULL)
        script = axe(folder)
        for page in sorted((folder / "demo").rglob("*.html")):
            for scheme in SCHEMES:
                found = check(page, script, scheme, folder)
                count += len(found)
                print(f"{page.relative_to(folder / 'demo')}, {scheme}: {len(found)} found", *found, sep="\n  ")
    return int(count > 0)


if __name__ == "__main__":
    sys.exit(main())
