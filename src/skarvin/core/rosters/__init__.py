"""Class lists into a roster import: names, sections and usernames, without marks."""
