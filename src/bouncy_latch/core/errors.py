"""The errors a user can cause. Anything else that is raised is a bug.

Each carries one sentence for the user and, where they exist, the field, the offending value and the limit, so that the
window can point at the place and a script need not parse text.
"""

from __future__ import annotations

import errno


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


def shortly(text: str, most: int = 60) -> str:
    """Return what was given, cut to what fits into a sentence and on one line."""
    plain = " ".join(text.encode("utf-8", "replace").decode().split()) if text.strip() else text.strip()
    return plain if len(plain) <= most else plain[: most - 1] + "…"


def reason_of(error: BaseException) -> str:
    """Return why the system refused, in words a user knows, for the end of a sentence."""
    code = getattr(error, "errno", None)
    known = _REASONS.get(code or 0)
    return known or (getattr(error, "strerror", None) or "the system refused").lower()


_REASONS = {
    errno.EACCES: "you may not read or write there", errno.EPERM: "that is not allowed there", errno.ENOSPC: "the disk is full",
    errno.EROFS: "the disk is read-only", errno.ENOENT: "there is no such file or folder",
    errno.EDQUOT: "your disk quota is used up",
    errno.EIO: "the disk does not answer as it should", errno.ENOTDIR: "a file stands where a folder belongs",
    errno.EISDIR: "it is a folder", errno.ELOOP: "its links lead in a circle", errno.ENAMETOOLONG: "its name is too long",
}


class Cancelled(Exception):
    """Not an error: slow work was stopped because its progress report answered False."""
