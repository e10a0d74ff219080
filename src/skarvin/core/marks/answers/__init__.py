"""Answers: what an answer's text says, its code for the target, and the key that tells the right one."""
