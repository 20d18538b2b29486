"""What can go wrong with what is brought into the library."""

from __future__ import annotations

import errno

from stepladder.refusals import Refusal

# The disk is full or broken, too much is open, nothing may be written.
_OF_THE_MACHINE = frozenset(
    {errno.ENOSPC, errno.EDQUOT, errno.EIO, errno.EMFILE, errno.ENFILE, errno.EROFS, errno.ENOMEM}
)


def is_of_the_machine(error: BaseException) -> bool:
    """Whether the machine is to blame and not the file that was read: then it is tried again, and the file keeps its name."""
    return isinstance(error, OSError) and error.errno in _OF_THE_MACHINE


class LibraryError(Refusal):
    """An act in the library that cannot be done; the message is for people."""


class Unusable(LibraryError):
    """A file that cannot become a module; the sentence says what is wrong and what to do."""


class TooLarge(LibraryError):
    """A file over the installation's limit."""

    def __init__(self, name: str, limit_mb: int) -> None:
        super().__init__(
            f"“{name}” is larger than {limit_mb} MB, the most that is taken here. Make it smaller or split it."
        )


class WrongOffset(LibraryError):
    """A part that does not begin where the last one ended; the sender asks where and goes on there."""


class PartUnderWay(LibraryError):
    """Two parts of one file at once; the sender tries again."""


class InUse(LibraryError):
    """A module that released courses use cannot be withdrawn."""

    def __init__(self, title: str, courses: list[str]) -> None:
        names = ", ".join(f"“{name}”" for name in courses)
        super().__init__(
            f"“{title}” is a step of {names}. Take it out there first, by a new edition, and release that; then withdraw it."
        )


class NothingToRelease(LibraryError):
    """A draft that has no version yet."""

    def __init__(self, title: str) -> None:
        super().__init__(f"“{title}” has nothing to be taught with yet. Finish its first version, then release it.")


class AlreadyNewest(LibraryError):
    """A version that is the newest cannot be made so again."""


class TitleTaken(LibraryError):
    """Titles in a binder are unlike; *field* is where it is said."""

    field = "title"

    def __init__(self, title: str, binder: str) -> None:
        super().__init__(f"There is a module “{title}” in the binder “{binder}” already. Call this one something else.")


class NothingChosen(LibraryError):
    """An act on many modules without one."""
