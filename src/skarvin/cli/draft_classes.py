"""Which files are of which class, where a folder has a file for each."""

from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

from skarvin.cli.output import note
from skarvin.cli.table import wrap
from skarvin.cli.terminal import echo
from skarvin.core.findings import Finding, Misused
from skarvin.core.plan.drafting.class_files import fit_files, read_class
from skarvin.core.plan.drafting.wishes import Wishes

_FORMS = (".csv", ".tsv", ".txt", ".xlsx")
_WRITTEN = ("-import", "-restore", "-confirm", "pairings", "held")


class ClassFiles(NamedTuple):
    """The files of a class, where its transfer lies, and whether it shares its export with other classes."""

    exports: Sequence[Path]
    form: Path
    transfer: Path
    is_shared: bool


def _files_in(folder: Path, what: str) -> list[Path]:
    """Return the files of a folder that may be exports or forms.

    Raises:
        Misused: there are none.
    """
    files = [path for path in sorted(folder.iterdir()) if path.is_file() and path.suffix.casefold() in _FORMS]
    found = [file for file in files if not file.stem.endswith(_WRITTEN)]
    if not found:
        mend = f"Name {what}, or a folder with some: {', '.join(_FORMS)}."
        raise Misused(Finding("no-forms", f"there is no {what.rsplit(maxsplit=1)[-1]} in '{folder}'", None, mend))
    return found


def find_classes(exports: Sequence[Path], form: Path, wishes: Wishes, *, is_each: bool) -> list[ClassFiles]:
    """Return the classes whose files lie in folders: each form with the one export of all, or with its own."""
    forms = _files_in(form, "a form") if form.is_dir() else [form]
    if not is_each:
        return [ClassFiles(exports, one, one.with_suffix(".toml"), is_shared=True) for one in forms]
    own = [file for path in exports for file in (_files_in(path, "an export") if path.is_dir() else [path])]
    if len(forms) == 1:
        return [ClassFiles([one], forms[0], one.with_suffix(".toml"), is_shared=False) for one in own]
    mine = [read_class(one, wishes.how("source")) for one in own]
    fits = fit_files(mine, [read_class(one, wishes.how("target")) for one in forms])
    found = []
    for fit in fits:
        if fit.form is None:
            note(f"{fit.export} goes to no form: {fit.because}. Draft it by itself: skarvin draft EXPORT FORM")
            continue
        echo(wrap(f"{fit.export} -> {fit.form}: {fit.because}"))
        is_only = [other.form for other in fits].count(fit.form) == 1
        name = fit.form.stem if is_only else fit.export.stem
        found.append(ClassFiles([fit.export], fit.form, fit.form.with_name(f"{name}.toml"), is_shared=False))
    for one in forms:
        if one not in [fit.form for fit in fits]:
            note(f"no export goes to {one}")
    if not found:
        mend = "Draft each by itself: skarvin draft EXPORT FORM --transfer CLASS.toml"
        raise Misused(Finding("no-pairs", f"no export has a form: {fits[0].because}", None, mend))
    echo("")
    return found
