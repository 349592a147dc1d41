"""Markup as a test reads it: on one line, with nothing between an element and its neighbour."""

import re


def flat(page: str) -> str:
    """A page with every run of white space as one space, and none beside a tag's brackets."""
    return re.sub(r" ?([<>]) ?", r"\1", re.sub(r"\s+", " ", page))
