"""Fails where tests reach too few of a module's lines: each module counts for itself, so that none hides behind others.

python .ci/coverage_floor.py COVERAGE.json
"""

import json
import sys
from pathlib import Path

FLOOR = 85.0
"""In percent of each module's lines."""


def main() -> int:
    """Print the modules below the floor, and return 1 if there are any."""
    files = json.loads(Path(sys.argv[1]).read_text(encoding="utf-8"))["files"]
    covered = {name: file["summary"]["percent_covered"] for name, file in files.items()}
    low = {name: percent for name, percent in sorted(covered.items()) if percent < FLOOR}
    for name, percent in low.items():
        print(f"{name}: tests reach {percent:.1f}% of its lines, and {FLOOR:.0f}% are wanted")
    print(f"{len(covered)} modules, the least covered {min(covered.values()):.1f}%")
    return int(bool(low))


if __name__ == "__main__":
    sys.exit(main())
