"""People who sign in, and who changed what."""

from typing import get_args

import click

from embalse.cli.common import complains, opened
from embalse.config import Settings
from embalse.core.access.roles import Role
from embalse.services.admin import change_log, people
from embalse.store import people as store
from embalse.store.errors import NotFound


@click.group()
def person() -> None:
    """People who sign in: who there is, invitations, forgotten passwords."""


@person.command("list")
@click.pass_obj
@complains
def person_list(settings: Settings) -> None:
    """Print everybody with role and state."""
    opened(settings)
    for one in people.people_content().people:
        click.echo(f"{one.sign_in:<24}{one.role:<12}{one.state:<20}{one.name}")


@person.command("add")
@click.argument("sign_in")
@click.option("--name", required=True, help="Name shown on the pages.")
@click.option("--role", type=click.Choice(get_args(Role)), default="viewer", show_default=True)
@click.pass_obj
@complains
def person_add(settings: Settings, sign_in: str, name: str, role: Role) -> None:
    """Invite somebody who will sign in as SIGN_IN; prints the end of their link, this once."""
    opened(settings)
    _say(people.invite(people.NewPerson(sign_in=sign_in, name=name, role=role)))


@person.command("invite")
@click.argument("sign_in")
@click.pass_obj
@complains
def person_invite(settings: Settings, sign_in: str) -> None:
    """Invite SIGN_IN again, for a lapsed invitation or a forgotten password."""
    opened(settings)
    row = store.by_sign_in(sign_in)
    if row is None:
        raise NotFound("sign_in", f"nobody signs in as '{sign_in}'")
    _say(people.invite_again(row.id))


def _say(invitation: people.Invitation) -> None:
    click.echo(f"For {invitation.person.name}, within {invitation.days} days: /invitation#{invitation.code}")
    click.echo("Put it after the server's address. Whoever opens it sets the password.", err=True)


@click.command()
@click.option("--about", default="", help="A block, block/station, block/station/sensor, device or person.")
@click.option("--who", default="", help="Name of the person.")
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
@click.pass_obj
@complains
def changes(settings: Settings, about: str, who: str, as_json: bool) -> None:
    """Print who changed what and when, newest first."""
    opened(settings)
    content = change_log.changes_content(None, about, who)
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    for one in content.changes:
        values = "; ".join(f"{v.name} {v.before or '–'} → {v.after or '–'}" for v in one.values)
        click.echo(f"{one.at[:16]}  {one.who:<20}{one.kind} {one.subject}: {one.what}  {values}"[:300])
