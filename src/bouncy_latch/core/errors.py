"""The errors a user can cause. Anything else that is raised is a bug.

Each carries one sentence for the user and, where they exist, the field, the offending value and the limit, so that the
window can point at the place and a script need not parse text.
"""

from __future__ import annotations


class UserError(Exception):
    """Base of every error that is shown to the user as one clear sentence.

    Attributes:
        sentence: what is wrong and what would be right.
        field: name of the parameter or file concerned, if any.
        value: the offending value, if any.
        limit: the limit it breaks, if any.
    """

    def __init__(self, sentence: str, *, field: str | None = None, value: object = None, limit: object = None) -> None:
        super().__init__(sentence)
        self.sentence = sentence
        self.field = field
        self.value = value
        self.limit = limit


class ParamError(UserError):
    """A parameter that is unknown, not a number, or outside its sane range."""


class SolveError(UserError):
    """Parameters that are each sane but describe no mechanism together."""


class ReadError(UserError):
    """A file that cannot be read as what it claims to be."""


class SaveError(UserError):
    """A file that could not be written; whatever was there before is still there."""


class Cancelled(Exception):
    """Not an error: slow work was stopped because its progress report answered False."""
