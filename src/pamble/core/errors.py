"""Errors in the user's words: which object, what is wrong, what would work."""

from __future__ import annotations


class PambleError(Exception):
    """Base of every error that Pamble raises on purpose; its text is fit to be shown."""

    code = "error"

    def __init__(self, message: str, *, subject: str | None = None) -> None:
        super().__init__(message)
        self.subject = subject


class GeometryError(PambleError):
    """Data that describes no usable curve or surface."""

    code = "geometry"


class NotMeeting(GeometryError):
    """Shapes that were to be intersected and miss each other."""


class BlendError(PambleError):
    """A blend that cannot be built from the edges and numbers given."""

    code = "blend"


class TooLarge(BlendError):
    """A radius that does not fit between its neighbours."""


class ReferenceLost(PambleError):
    """A feature asks for an object or an edge that is no longer there."""

    code = "reference"


class ExchangeError(PambleError):
    """A file that cannot be read or written."""

    code = "exchange"


class StudyError(PambleError):
    """A study or an operation on it that makes no sense."""

    code = "study"


class Missing(StudyError):
    """What was asked for is not there, or no longer."""


class Conflict(StudyError):
    """The study was changed elsewhere since the caller last saw it."""

    code = "conflict"
