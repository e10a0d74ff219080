"""Files and the grids of text in them: telling what a file is, reading its cells, filling and saving it.

Nothing here knows what a cell means; a cell is text.
"""
