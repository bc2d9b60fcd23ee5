"""Logger files as instruments and spreadsheets write them, read into arrays with every guess shown.

`understand` looks at a file and says what each column seems to be; `collect` turns it into readings under
that understanding, or under one that a person has corrected.
"""

from .read import Choices, Column, LogReadings, Series, Understanding, collect, understand
from .table import UnreadableFile

__all__ = [
    "Choices",
    "Column",
    "LogReadings",
    "Series",
    "Understanding",
    "UnreadableFile",
    "collect",
    "understand",
]
