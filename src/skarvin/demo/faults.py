"""The faults that the stand-in for a service can make."""

FAULTS = ("busy", "error", "slow", "cut", "lost", "expired", "link", "moving", "html")
"""429; 500; slow; cut in the middle; an answer that is lost after the mark was taken; a token that is no longer good;
a `Link` to another host; a page that changes while it is read; a page in place of data."""
