"""The second look: what the ledger says each cell of the written file must be, and what the file says.

It knows `ledger.json` and the files on the disk, and nothing of how marks were settled or written.
"""
