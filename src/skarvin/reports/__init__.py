"""The ledger made fit to read: for machines as data, for a registrar as a page, and the one sentence of the verdict."""
