"""Proposes a transfer and writes it down for a person to read and edit."""
