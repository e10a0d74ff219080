"""The books: one fate for each mark, control totals, and the second look at what was written."""
