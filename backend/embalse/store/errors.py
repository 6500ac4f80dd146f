"""Refusals of the store."""


class StoreError(Exception):
    """A request the stored data do not allow; ``field`` names what it is about."""

    def __init__(self, field: str, reason: str) -> None:
        super().__init__(f"{field}: {reason}")
        self.field = field
        self.reason = reason


class NotFound(StoreError):
    """What was asked for is not stored."""


class Unauthorized(StoreError):
    """A token that is not known, or no longer."""


class Conflict(StoreError):
    """What was sent contradicts what is stored."""


class NewerDatabase(StoreError):
    """The file was written by a later version of Embalse."""


class Foreign(StoreError):
    """A file that is damaged, or a database of another program."""
