"""The rules of a question's answers in words."""

from skarvin.core.findings import counted
from skarvin.core.marks.answers.answer_rule import AnswerKind, AnswerRule, LabelOrder, Write
from skarvin.core.marks.rule import Rule


def answers_in_words(rule: Rule) -> list[str]:
    """Return what is done to answers, part by part; nothing for a rule that isn't about answers."""
    if not isinstance(rule, AnswerRule):
        return []
    what = {
        AnswerKind.LABELS: "answers become labels",
        AnswerKind.NUMBER: "answers are numbers",
        AnswerKind.TRUTH: f"true is '{rule.truths[0]}', false is '{rule.truths[1]}'",
        AnswerKind.TEXT: "answers become the key's codes" if rule.key else "answers travel as they are",
    }[rule.kind]
    if rule.kind is AnswerKind.LABELS and rule.write is not Write.AS_OFFERED:
        what += f", written as {rule.write.value}"
    if rule.kind is AnswerKind.LABELS and rule.order is LabelOrder.AS_OFFERED:
        what += ", several in the order in which they are offered"
    if rule.kind is AnswerKind.LABELS and rule.one_blank:
        what += "; one blank behind a label is enough"
    parts = [what]
    if rule.labels and rule.kind is AnswerKind.LABELS:
        parts.append(f"offered: {' '.join(rule.labels)}")
    if rule.key:
        parts.append(f"the key knows {counted(len(rule.key), 'answer')}")
    return parts
