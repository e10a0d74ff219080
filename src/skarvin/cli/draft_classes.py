"""Which files are of which class, where a folder has a file for each."""

from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import NamedTuple

from skarvin.cli.output import note
from skarvin.cli.table import wrap
from skarvin.cli.terminal import echo
from skarvin.core.findings import Finding, Misused, Unreadable
from skarvin.core.grid.file_bytes import read_bytes
from skarvin.core.grid.file_kinds import Kind, kind_of
from skarvin.core.grid.roster_files import is_bundle_folder
from skarvin.core.plan.drafting.class_files import ClassFile, fit_files, read_classes
from skarvin.core.plan.drafting.wishes import Wishes

_FORMS = (".csv", ".tsv", ".txt", ".xlsx")
_WRITTEN = ("-import", "-restore", "-confirm", "-import-fresh", "-restore-fresh", "pairings", "held")


class ClassFiles(NamedTuple):
    """The files of a class, where its transfer lies, whether it shares its export, and what names it in a bundle."""

    exports: Sequence[Path]
    form: Path
    transfer: Path
    is_shared: bool
    named: Mapping[str, str] = MappingProxyType({})


def _files_in(folder: Path, what: str) -> list[Path]:
    """Return the files of a folder that may be exports or forms.

    Raises:
        Misused: there are none.
    """
    files = [path for path in sorted(folder.iterdir()) if _may_be_of_a_class(path)]
    found = [file for file in files if not file.stem.endswith(_WRITTEN)]
    if not found:
        mend = f"Name {what}, or a folder with some: {', '.join(_FORMS)}."
        raise Misused(Finding("no-forms", f"there is no {what.rsplit(maxsplit=1)[-1]} in '{folder}'", None, mend))
    return found


def _may_be_of_a_class(path: Path) -> bool:
    return _is_bundle(path) or (path.is_file() and path.suffix.casefold() in _FORMS)


def _is_bundle(path: Path) -> bool:
    """Tell whether a folder or an archive is a bundle.

    Raises:
        Unreadable: it is damaged, so that a class may be missing.
    """
    if path.suffix.casefold() != ".zip" or not path.is_file():
        return is_bundle_folder(path)
    try:
        return kind_of(read_bytes(path), path) is Kind.ONE_ROSTER
    except Unreadable as error:
        if error.findings[0].slug != "no-grid":
            raise
        return False


def is_folder_of_files(path: Path) -> bool:
    """Tell whether a path is a folder with a file for each class; a bundle isn't, be it a folder."""
    return path.is_dir() and not is_bundle_folder(path)


def find_classes(exports: Sequence[Path], form: Path, wishes: Wishes, *, is_each: bool) -> list[ClassFiles]:
    """Return the classes whose files lie in folders: each form with the one export of all, or with its own.

    A bundle of several classes is as good as a folder, if each is to be by itself.
    """
    forms = _files_in(form, "a form") if is_folder_of_files(form) else [form]
    if not is_each:
        return [ClassFiles(exports, one, one.with_suffix(".toml"), is_shared=True) for one in forms]
    own = [file for path in exports for file in (_files_in(path, "an export") if is_folder_of_files(path) else [path])]
    if len(forms) == 1 and not any(map(_is_bundle, [*own, *forms])):
        return [ClassFiles([one], forms[0], one.with_suffix(".toml"), is_shared=False) for one in own]
    mine = [one for file in own for one in read_classes(file, wishes.how("source"))]
    theirs = [one for file in forms for one in read_classes(file, wishes.how("target"))]
    if len(theirs) == 1:
        return _apart([_files_of(one, theirs[0], one.path.with_name(f"{one.stem}.toml")) for one in mine])
    fits = fit_files(mine, theirs)
    found = []
    for fit in fits:
        if fit.form is None:
            note(f"{fit.export} goes to no form: {fit.because}. Draft it by itself: skarvin draft EXPORT FORM")
            continue
        echo(wrap(f"{fit.export} -> {fit.form}: {fit.because}"))
        is_only = [other.form for other in fits].count(fit.form) == 1
        name = fit.form.stem if is_only else fit.export.stem
        found.append(_files_of(fit.export, fit.form, fit.form.path.with_name(f"{name}.toml")))
    for one in theirs:
        if one not in [fit.form for fit in fits]:
            note(f"no export goes to {one}")
    if not found:
        mend = "Draft each by itself: skarvin draft EXPORT FORM --transfer CLASS.toml"
        raise Misused(Finding("no-pairs", f"no export has a form: {fits[0].because}", None, mend))
    echo("")
    return _apart(found)


def _apart(found: Sequence[ClassFiles]) -> list[ClassFiles]:
    """Return classes each with a transfer of its own, though two may be called alike but for signs or case."""
    seen: Counter[str] = Counter()
    apart = []
    for one in found:
        name = str(one.transfer).casefold()
        seen[name] += 1
        path = one.transfer if seen[name] == 1 else one.transfer.with_stem(f"{one.transfer.stem}-{seen[name]}")
        apart.append(one._replace(transfer=path))
    return apart


def _files_of(export: ClassFile, form: ClassFile, transfer: Path) -> ClassFiles:
    named = {"sheet": export.sheet, "form_sheet": form.sheet}
    said = {option: sheet for option, sheet in named.items() if sheet is not None}
    return ClassFiles([export.path], form.path, transfer, is_shared=False, named=said)
