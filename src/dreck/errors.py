"""The one family of errors Dreck raises on purpose: each says what, where and what to do."""


class DreckError(Exception):
    """The call or the input is wrong. `str(error)` is one line, ready to be shown to a person."""


class BadTarget(DreckError):
    """A target names a file, folder or function that is not there, or in a form Dreck does not know."""


class BadSource(DreckError):
    """A file cannot be read, decoded or parsed as Python, or cannot be written."""
