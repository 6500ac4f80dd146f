"""Test clients that hold a session and send the pages' token with every write."""

from typing import Any

from flask import Flask
from flask.testing import FlaskClient

from embalse.app import create_app
from embalse.config import Settings
from embalse.core.access.roles import Role
from embalse.services.admin.people import make_demo_people
from embalse.store import people as store


class Pages(FlaskClient):
    """What the pages do: ask for the session, then send its token."""

    token = ""

    def renew(self) -> dict[str, Any]:
        """Ask for the session anew; returns it."""
        found: dict[str, Any] = self.get("/api/session").json  # type: ignore[assignment]
        self.token = found["csrf_token"]
        return found

    def open(self, *args: Any, **kwargs: Any) -> Any:
        if self.token:
            kwargs["headers"] = {"X-CSRF-Token": self.token, **dict(kwargs.get("headers") or {})}
        return super().open(*args, **kwargs)


def pages_of(app: Flask) -> Pages:
    """Pages of an application, with their token and whoever it signs in by itself."""
    app.test_client_class = Pages
    client = app.test_client()
    assert isinstance(client, Pages)
    client.renew()
    return client


def client_of(settings: Settings, role: Role = "owner") -> Pages:
    """Pages of somebody with a role, signed in without a password as the demonstration's person is."""
    sits_here(role)
    return pages_of(create_app(settings))


def sits_here(role: Role = "owner") -> None:
    """Somebody with a role whom the application signs in by itself."""
    if store.who_signs_in_by_itself() is None:
        make_demo_people([("tester", "Tester", role, True)])
