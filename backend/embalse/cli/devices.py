"""Devices that send readings, and the simulated logger."""

import threading
from pathlib import Path
from typing import Any

import click

from embalse.cli.common import complains, opened
from embalse.config import Settings
from embalse.services import times
from embalse.services.intake import telemetry
from embalse.standins.logger import LoggerStandIn, dry_down_readings


@click.group()
def gateway() -> None:
    """Devices that send readings by themselves, and their tokens."""


@gateway.command("add")
@click.argument("key")
@click.option("--name", default="", help="Name shown on the pages.")
@click.option("--station", "stations", multiple=True, help="block/station it may send for; all if not given.")
@click.pass_obj
@complains
def gateway_add(settings: Settings, key: str, name: str, stations: tuple[str, ...]) -> None:
    """Make a gateway KEY and print its token, this once."""
    opened(settings)
    click.echo(telemetry.register(key, name, stations))


@gateway.command("revoke")
@click.argument("key")
@click.pass_obj
@complains
def gateway_revoke(settings: Settings, key: str) -> None:
    """Revoke the token of gateway KEY; what it sent stays."""
    opened(settings)
    telemetry.revoke(key)
    click.echo(f"{key} can send no more.")


@gateway.command("list")
@click.pass_obj
@complains
def gateway_list(settings: Settings) -> None:
    """Print the gateways with what they last said of themselves."""
    opened(settings)
    for one in telemetry.gateways():
        state = "revoked" if one.revoked else f"last heard {one.last_seen[:16]}" if one.last_seen else "never heard"
        battery = "" if one.battery_v is None else f", {one.battery_v:.2f} V{' LOW' if one.battery_low else ''}"
        click.echo(f"{one.key:<20}{state}{battery}")


@click.group()
def standin() -> None:
    """Simulated devices that speak to Embalse as real ones would."""


@standin.command("logger")
@click.option("--url", default="http://127.0.0.1:8470", show_default=True, help="Where the server is reached.")
@click.option("--token", required=True, help="The gateway's token.")
@click.option("--channel", "channels", multiple=True, required=True, help="Channels it sends, shallowest first.")
@click.option("--hours", default=48, show_default=True, help="Hours of readings up to now.")
@click.option("--unit", type=click.Choice(["m3/m3", "%"]), default="m3/m3", show_default=True)
@click.option("--drop", default=0.2, show_default=True, help="Share of batches lost on the way and sent later.")
@click.option("--repeat", default=0.1, show_default=True, help="Share of batches sent twice.")
@click.option("--until", type=int, help="Epoch seconds of the last reading; this machine's clock if absent.")
@complains
def standin_logger(url: str, token: str, channels: tuple[str, ...], **options: Any) -> None:
    """Post simulated readings over HTTP, with drop-outs and a backlog that is sent later."""
    logger = LoggerStandIn(url, token, options["drop"], options["repeat"])
    until = options["until"] if options["until"] is not None else times.now_utc()
    sent = logger.send(dry_down_readings(channels, options["hours"], until, options["unit"]))
    click.echo(
        f"{sent.batches} batches sent, {sent.dropped} held back first, {sent.repeated} sent twice: "
        f"{sent.new} readings new, {sent.known} known, {sent.refused} refused."
    )
    for refusal in sent.refusals[:5]:
        click.echo(f"{refusal['channel']}: {refusal['reason']}", err=True)


@standin.command("valves")
@click.option("--port", type=int, required=True, help="Port on this machine it listens on.")
@click.option("--folder", type=click.Path(file_okay=False, exists=True), required=True, help="Where valves.json lies.")
@click.option("--parent", type=int, hidden=True, help="Stop when this process is gone.")
@complains
def standin_valves(port: int, folder: str, parent: int | None) -> None:
    """A simulated valve controller with a meter and a pressure switch; /description has its interface.

    It reads valves.json (token, valves with their flow [m³/h], and at: an instant its clock is held at) and keeps its
    memory beside it.
    """
    import json
    from pathlib import Path

    from waitress import serve

    from embalse.standins.valves import stop_with, valves_app

    path = Path(folder)
    config = json.loads((path / "valves.json").read_text(encoding="utf-8"))
    app = valves_app(path / "valves-memory.json", config["valves"], config["token"], config.get("at"))
    if parent is not None:
        stop_with(parent)
    click.echo(f"Valves are at http://127.0.0.1:{port}")
    serve(app, host="127.0.0.1", port=port, threads=4, ident=None)


@standin.command("mail")
@click.option("--port", type=int, default=8025, show_default=True, help="Port on this machine it listens on.")
@click.option("--folder", type=click.Path(file_okay=False), required=True, help="Where messages are kept as files.")
@complains
def standin_mail(port: int, folder: str) -> None:
    """A simulated mail server: every message becomes a file, none is sent on.

    Start Embalse with EMBALSE_MAIL_HOST=127.0.0.1, EMBALSE_MAIL_PORT and EMBALSE_MAIL_TLS=none to try it.
    """
    from embalse.standins.mail import mail_server

    server = mail_server(port, Path(folder))
    server.start()
    click.echo(f"Taking mail at 127.0.0.1:{port}, keeping it in {folder}  (Ctrl+C stops it)")
    try:
        threading.Event().wait()
    except KeyboardInterrupt:
        server.stop()
