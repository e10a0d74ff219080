"""Totals: a small language for rules, what a rule gives for each student, and the source's own totals checked by it."""
