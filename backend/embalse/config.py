"""Settings, read from the environment; every one has a default."""

import os
from collections.abc import Mapping
from dataclasses import dataclass, fields
from pathlib import Path
from typing import Final

PACKED_FRONT_END: Final = Path(__file__).resolve().parent / "front_end"
"""Where the built front end is in an installed package."""
BUILT_FRONT_END: Final = Path(__file__).resolve().parents[2] / "frontend" / "dist"
"""Where it is in a checkout."""


@dataclass(frozen=True)
class Settings:
    """Settings of one Embalse: where its data are and where it listens.

    Each is set by an environment variable named ``EMBALSE_`` and the field's name in capitals.
    """

    data: str = "var"
    host: str = "127.0.0.1"
    port: int = 8470
    threads: int = 6
    backup_hours: int = 24
    backups_kept: int = 14
    drop_folder: str = ""
    public_name: str = ""
    behind_tls: bool = False
    mqtt_host: str = ""
    mqtt_port: int = 1883
    mqtt_tls: bool = False
    mqtt_user: str = ""
    mqtt_password: str = ""
    mqtt_prefix: str = "embalse"
    mail_host: str = ""
    mail_port: int = 587
    mail_tls: str = "starttls"
    mail_user: str = ""
    mail_password: str = ""
    mail_from: str = ""
    log: str = "text"
    front_end: str = str(PACKED_FRONT_END if PACKED_FRONT_END.is_dir() else BUILT_FRONT_END)

    @property
    def data_dir(self) -> Path:
        """Folder of the database and of uploaded files."""
        return Path(self.data).expanduser().resolve()

    @property
    def trusted_hosts(self) -> list[str]:
        """Names the server answers to; a page elsewhere that points its own name here is refused."""
        names = ["localhost", "127.0.0.1", "[::1]", self.host, self.public_name]
        return [name for name in names if name]

    @property
    def address(self) -> str:
        """Where people reach this Embalse."""
        if self.public_name:
            return f"https://{self.public_name}" if self.behind_tls else f"http://{self.public_name}:{self.port}"
        return f"http://{self.host}:{self.port}"

    @property
    def database(self) -> Path:
        """The SQLite file."""
        return self.data_dir / "embalse.db"

    @property
    def backups(self) -> Path:
        """Folder of the copies."""
        return self.data_dir / "backups"

    @property
    def uploads(self) -> Path:
        """Folder that holds uploaded files until they are imported."""
        return self.data_dir / "uploads"


SETTING_HELP = {
    "data": "folder of the database and uploaded files",
    "host": "address to listen on; another than loopback asks for public_name, and the demonstration refuses it",
    "port": "port to listen on",
    "threads": "threads of the server",
    "backup_hours": "hours between copies while the server runs; 0 for none",
    "backups_kept": "how many copies are kept",
    "drop_folder": "folder whose files are read in by themselves; none if empty",
    "public_name": "name or address people reach the server by, without port, when it is not only this machine",
    "behind_tls": "1 when a proxy on this machine speaks TLS before it: cookies are then for TLS only",
    "mqtt_host": "broker that readings come by; none if empty",
    "mqtt_port": "its port",
    "mqtt_tls": "1 when the way to it is TLS",
    "mqtt_user": "name to sign in to it by; none if empty",
    "mqtt_password": "password for it",
    "mqtt_prefix": "first level of Embalse's own topics",
    "mail_host": "mail server that messages go out by; none if empty: they stand on a page only",
    "mail_port": "its port",
    "mail_tls": "starttls, tls or none: how the way to it is kept secret",
    "mail_user": "name to sign in to it by; none if empty",
    "mail_password": "password for it",
    "mail_from": "address messages come from",
    "log": "text, or json: a line a request with its id",
    "front_end": "folder of the built front end",
}


def settings_from(environment: Mapping[str, str] = os.environ) -> Settings:
    """Settings from environment variables; raises ValueError naming the variable that cannot be read."""
    values: dict[str, str | int] = {}
    for field in fields(Settings):
        name = f"EMBALSE_{field.name.upper()}"
        if name not in environment:
            continue
        text = environment[name]
        if field.type in (int, "int"):
            if not text.isdigit():
                raise ValueError(f"{name} must be a whole number, is '{text}'")
            values[field.name] = int(text)
        elif field.type in (bool, "bool"):
            if text not in ("0", "1"):
                raise ValueError(f"{name} must be 0 or 1, is '{text}'")
            values[field.name] = text == "1"
        elif field.name == "mail_tls" and text not in ("starttls", "tls", "none"):
            raise ValueError(f"{name} must be starttls, tls or none, is '{text}'")
        elif field.name == "log" and text not in ("text", "json"):
            raise ValueError(f"{name} must be text or json, is '{text}'")
        else:
            values[field.name] = text
    return Settings(**values)  # type: ignore[arg-type]
