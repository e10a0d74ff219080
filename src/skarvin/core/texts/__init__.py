"""Numbers, the grammar of a mark, words by language, folding of names: what every other room asks of a text."""
