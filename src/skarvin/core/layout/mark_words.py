"""Words that stand in place of numbers in a column of marks."""

GRADE_WORDS = frozenset(
    {
        *("pass", "fail", "passed", "failed", "merit", "distinction", "credit", "satisfactory", "unsatisfactory"),
        *("right", "wrong", "correct", "incorrect"),
        *("good", "very good", "excellent", "sufficient", "insufficient", "poor", "fair", "outstanding"),
    }
)
STATUS_WORDS = frozenset(
    {
        *("present", "absent", "exempt", "excused", "incomplete", "late", "missing", "not handed in", "not submitted"),
        *("pending", "withdrawn", "deferred", "ill", "sick", "away", "n/a", "none"),
    }
)
