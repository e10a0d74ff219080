"""Whether a formula makes one number of each student's marks: it is checked before anything is computed."""

from collections.abc import Mapping

from skarvin.core.marks.totals.evaluate import is_on_top
from skarvin.core.marks.totals.tree import (
    Chosen,
    Combined,
    FormulaFault,
    Lifted,
    Limited,
    Listed,
    Named,
    Node,
    OnTop,
    Part,
    Ranked,
    Share,
    Summed,
    Weighed,
    Weighted,
)


def check(node: Node | Ranked, parts: Mapping[str, Part]) -> None:
    """Check that a formula makes one number of each student's marks.

    Raises:
        FormulaFault: it doesn't.
    """
    inner = node.of if isinstance(node, Ranked) else node
    if _is_list(inner, parts):
        what = "it gives several numbers, and not one"
        raise FormulaFault(what, inner.at, "Put 'sum of' or 'mean of' in front.")


def _is_list(node: Node, parts: Mapping[str, Part]) -> bool:
    """Tell whether a formula gives several numbers, having checked all that it is made of."""
    is_list = False
    match node:
        case Named():
            is_list = parts[node.name].is_list
        case Listed():
            is_list = True
            _one_number(parts, *node.parts)
        case Weighted():
            _one_number(parts, *(part for _, part in node.parts))
        case Combined():
            _one_number(parts, node.left, node.right)
        case Share():
            _check_maximum(node.of, parts)
            is_list = _is_list(node.of, parts)
        case Limited() | Lifted() | OnTop():
            is_list = _is_list(node.of, parts)
        case Summed() | Chosen() | Weighed():
            is_list = isinstance(node, Chosen)
            if not _is_list(node.of, parts):
                mend = 'Name a category, or several in brackets: ("A", "B")'
                raise FormulaFault(f"'{_called(node)} of' needs several numbers, and gets one", node.at, mend)
            if isinstance(node, Weighed):
                _check_weights(node.of, parts)
    return is_list


def _called(node: Summed | Chosen | Weighed) -> str:
    if isinstance(node, Summed):
        return f"{node.how} ..."
    return "weighted mean" if isinstance(node, Weighed) else "best ..." if node.is_best else "all but lowest ..."


def _one_number(parts: Mapping[str, Part], *nodes: Node) -> None:
    for node in nodes:
        if _is_list(node, parts):
            raise FormulaFault("one number is needed here, and it gives several", node.at, "Put 'sum of' in front.")


def _check_weights(node: Node, parts: Mapping[str, Part]) -> None:
    """Find the export's weight of each number of a mean that has them."""
    match node:
        case Named():
            weights = parts[node.name].weights
            if not weights or None in weights:
                what = f"the export gives no weight for '{node.name}', or not for all of it"
                mend = "Write the weights: weighted mean of (40: ..., 60: ...)"
                raise FormulaFault(what, node.at, mend)
        case Listed():
            for part in node.parts:
                _check_weights(part, parts)
        case Share() | Limited() | Lifted() | Chosen():
            _check_weights(node.of, parts)
        case _:
            raise FormulaFault("this has no weight of the export's", node.at, "Name an item or a category.")


def _check_maximum(node: Node, parts: Mapping[str, Part]) -> None:
    """Find a maximum for each number that is to become a share of it."""
    match node:
        case Named():
            if None in parts[node.name].out_of:
                mend = "Write from_out_of in its [[item]], or out_of in its [[total]]."
                raise FormulaFault(f"the maximum of '{node.name}' isn't known", node.at, mend)
        case Listed():
            for part in node.parts:
                _check_maximum(part, parts)
        case Summed() | Chosen() | Limited() | Lifted():
            _check_maximum(node.of, parts)
        case Combined() if node.sign in "+-" and not is_on_top(node, parts):
            for part in (node.left, *([node.right] if node.sign == "+" else [])):
                if not is_on_top(part, parts):
                    _check_maximum(part, parts)
        case _:
            raise FormulaFault("this has no maximum to be a share of", node.at, "Name an item or a category.")
