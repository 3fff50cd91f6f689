"""Errors a person can act on. Their text says what is wrong and what to do; nothing else reaches a screen."""


class RuveltError(Exception):
    """Base of every error whose text may be shown to a person."""


class InputError(RuveltError):
    """Something handed in (a file, a name, a number) cannot be used as it is."""


class NotFound(RuveltError):
    """The named thing does not exist."""


class Conflict(RuveltError):
    """The thing was changed elsewhere, or is busy."""


class Locked(Conflict):
    """Another process is the writer of this project."""


class Cancelled(RuveltError):
    """The person stopped a job."""


class StorageError(RuveltError):
    """The disk did not take the work."""
