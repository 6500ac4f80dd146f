"""A simulated mail server: keeps every message as a file, so that mail can be tried without sending any."""

from email import message_from_bytes, policy
from email.message import EmailMessage
from pathlib import Path
from typing import Any

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session


class KeepsMail:
    """What is done with a message: kept in a folder as ``NNNN.eml``; so many of the first are refused, to try that."""

    def __init__(self, folder: Path, refuse: int = 0) -> None:
        self.folder = folder
        self.refuse = refuse

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        """Keep a message, or refuse it for now."""
        del server, session
        if self.refuse > 0:
            self.refuse -= 1
            return "451 try again later"
        self.folder.mkdir(parents=True, exist_ok=True)
        number = len(list(self.folder.glob("*.eml"))) + 1
        content: Any = envelope.content or b""
        (self.folder / f"{number:04d}.eml").write_bytes(content if isinstance(content, bytes) else content.encode())
        return "250 kept"


def mail_server(port: int, folder: Path, refuse: int = 0) -> Controller:
    """A mail server on this machine that is not started yet; messages go to a folder."""
    return Controller(KeepsMail(folder, refuse), hostname="127.0.0.1", port=port)


def kept_mail(folder: Path) -> list[EmailMessage]:
    """Messages kept in a folder, as they came."""
    found = [message_from_bytes(p.read_bytes(), policy=policy.default) for p in sorted(folder.glob("*.eml"))]
    return [m for m in found if isinstance(m, EmailMessage)]
