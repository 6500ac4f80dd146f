"""What is wrong in what was sent: where, and why."""

from pydantic import BaseModel


class PathError(BaseModel):
    """One thing wrong in a document: where, as a path, and why."""

    path: str
    reason: str


class DocumentErrors(ValueError):
    """A document that was refused; nothing of it was stored."""

    def __init__(self, errors: list[PathError]) -> None:
        super().__init__("; ".join(f"{e.path}: {e.reason}" for e in errors))
        self.errors = errors
