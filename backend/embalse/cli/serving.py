"""Commands that run: the server and the demonstration."""

import secrets
import sys
from ipaddress import ip_address
from pathlib import Path

import click

from embalse.cli.common import complains, migrated
from embalse.config import Settings
from embalse.services import times
from embalse.services.acting.watching import Acting
from embalse.services.admin.backup import Schedule
from embalse.services.advice.keeper import Keeper
from embalse.services.advice.mornings import Mornings
from embalse.services.audit.choosing import apply_corrections
from embalse.services.intake import cut_imports
from embalse.services.intake.drop_folder import DropFolder
from embalse.services.messages.messenger import Messenger
from embalse.services.mqtt.intake import BrokerIntake
from embalse.standins import demo
from embalse.standins.valve_process import start_valves
from embalse.store import people as people_store

THREADS_IN_TURN_S = 0.0005
"""How long one thread computes while others wait [s]: a page asks the file hundreds of times, and waits after each."""


def refuse_open_door(settings: Settings) -> None:
    """Refuse to be reached from other machines by a name nobody gave, or with the demonstration's open door.

    Raises
    ------
    ValueError
        With what to set.
    """
    if settings.host == "localhost" or ip_address(settings.host).is_loopback:
        return
    if people_store.who_signs_in_by_itself() is not None:
        raise ValueError("EMBALSE_HOST must be a loopback address: the demonstration signs its manager in by itself")
    if not settings.public_name:
        raise ValueError("EMBALSE_PUBLIC_NAME must say by which name or address people reach this server")
    if not settings.behind_tls:
        click.echo("Caution: without TLS, passwords and readings cross the network in the clear.", err=True)


@click.command()
@click.option("--reload", is_flag=True, hidden=True, help="For development: start again when a file changes.")
@click.pass_obj
@complains
def serve(settings: Settings, reload: bool) -> None:
    """Serve the application to browsers."""
    from waitress import serve as serve_forever

    from embalse.api.watching import log_as
    from embalse.app import create_app

    log_as(settings.log)
    migrated(settings)
    refuse_open_door(settings)
    cut_imports.clear(times.now_utc())
    sys.setswitchinterval(THREADS_IN_TURN_S)
    if settings.backup_hours:
        Schedule(settings.database, settings.backups, settings.backup_hours, settings.backups_kept).start()
    Mornings(first=apply_corrections).start()
    Keeper().start()
    start_valves(settings.data_dir / "demo")
    Acting().start()
    Messenger(settings).start()
    if settings.mqtt_host:
        BrokerIntake(settings).start()
    if settings.drop_folder:
        DropFolder(Path(settings.drop_folder).expanduser()).start()
    address = f"http://{settings.host}:{settings.port}"
    code = secrets.token_urlsafe(18)
    click.echo(f"Embalse is at {address}  (Ctrl+C stops it)")
    if not people_store.anybody():
        click.echo(f"Nobody signs in yet. Make the farm's owner at {address}/first#{code}")
    app = create_app(settings, code)
    if reload:
        from werkzeug.serving import run_simple

        run_simple(settings.host, settings.port, app, use_reloader=True, threaded=True)
        return
    serve_forever(app, host=settings.host, port=settings.port, threads=settings.threads, ident=None)


@click.command("demo")
@click.option("--reset", is_flag=True, help="Throw the demonstration's data away and make them anew.")
@click.pass_obj
@complains
def demo_command(settings: Settings, reset: bool) -> None:
    """Make the demonstration farm, if it is not there yet."""
    made = demo.ensure_demo(settings.data_dir, settings.database, reset, click.echo)
    click.echo("Demonstration farm made." if made else "Demonstration farm kept as it is; --reset makes it anew.")
