"""One bare pass of the csv module over an export, or over it and its form: the yardstick."""

import csv
import sys

for name, delimiter in zip(sys.argv[1:], ",;", strict=False):
    with open(name, encoding="utf-8", newline="") as file:  # noqa: PTH123 - as plain as can be
        for _ in csv.reader(file, delimiter=delimiter):
            pass
