"""Which cells of a grid mean what: headings, student columns, item columns, rows that are no students."""
