"""What Skarvin knows and decides: no screen, no clock, no environment.

The rooms in the order of the data: grid, layout, gradebook, students, items, marks, ledger, transfer.
"""
