"""The command line: ``embalse --help``."""

import json
import secrets
from contextlib import nullcontext
from ipaddress import ip_address
from pathlib import Path
from typing import Any

import click

from embalse import __version__
from embalse.cli.calibrating import calibrate_command
from embalse.cli.common import complains, migrated, opened
from embalse.cli.devices import gateway, standin
from embalse.cli.importing import import_command, undo_command
from embalse.cli.keeping import backup, check, restore
from embalse.cli.marking import marks_command
from embalse.cli.people import changes, person
from embalse.cli.profiling import ledger_command, skill_command, wettings_command
from embalse.cli.weather import weather
from embalse.config import SETTING_HELP, Settings, settings_from
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.admin.backup import Schedule
from embalse.services.advice import advise as advice_service
from embalse.services.advice.mornings import Mornings
from embalse.services.document.apply import apply_document
from embalse.services.document.export import farm_document
from embalse.services.document.farm_document import FarmDocument, parse_document
from embalse.services.intake.drop_folder import DropFolder
from embalse.services.intake.import_plan import ImportPlan
from embalse.services.reader import say
from embalse.services.schema.land import FarmPart
from embalse.services.setup.fault_review import faults_content
from embalse.standins import demo
from embalse.store import imports as import_store
from embalse.store import known_then
from embalse.store import people as people_store
from embalse.store.changes import Actor, act_as
from embalse.store.database import transaction

SETTINGS_TEXT = "\n".join(f"  EMBALSE_{name.upper():<10} {text}" for name, text in SETTING_HELP.items())


@click.group(epilog=f"\b\nSettings, by environment variable:\n{SETTINGS_TEXT}")
@click.version_option(__version__)
@click.pass_context
@complains
def main(context: click.Context) -> None:
    """Irrigation advice from soil moisture probes: when, how much, for how long."""
    context.obj = settings_from()
    act_as(Actor("command line"))


@main.command()
@click.option("--name", help="Name of the farm; without it the farm is set up on screen or by 'apply'.")
@click.option("--time-zone", default="UTC", show_default=True, help="Zone of the farm, for example Europe/Madrid.")
@click.option("--units", type=click.Choice(["metric", "us"]), default="metric", show_default=True)
@click.pass_obj
@complains
def init(settings: Settings, name: str | None, time_zone: str, units: str) -> None:
    """Make an empty database, or bring an older one up to date."""
    migrated(settings)
    if name:
        part = FarmPart.model_validate({"name": name, "time_zone": time_zone, "units": units})
        apply_document(FarmDocument(embalse=1, farm=part))
    click.echo(f"Database ready: {settings.database}")


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


@main.command()
@click.pass_obj
@complains
def serve(settings: Settings) -> None:
    """Serve the application to browsers."""
    from waitress import serve as serve_forever

    from embalse.app import create_app

    migrated(settings)
    refuse_open_door(settings)
    with transaction():
        import_store.close_cut_jobs(times.now_utc())
    if settings.backup_hours:
        Schedule(settings.database, settings.backups, settings.backup_hours, settings.backups_kept).start()
    Mornings().start()
    if settings.drop_folder:
        DropFolder(Path(settings.drop_folder).expanduser()).start()
    address = f"http://{settings.host}:{settings.port}"
    code = secrets.token_urlsafe(18)
    click.echo(f"Embalse is at {address}  (Ctrl+C stops it)")
    if not people_store.anybody():
        click.echo(f"Nobody signs in yet. Make the farm's owner at {address}/first#{code}")
    app = create_app(settings, code)
    serve_forever(app, host=settings.host, port=settings.port, threads=settings.threads, ident=None)


@main.command()
@click.option("--reset", is_flag=True, help="Throw the demonstration's data away and make them anew.")
@click.pass_obj
@complains
def demo_command(settings: Settings, reset: bool) -> None:
    """Make the demonstration farm, if it is not there yet."""
    made = demo.ensure_demo(settings.data_dir, settings.database, reset, click.echo)
    click.echo("Demonstration farm made." if made else "Demonstration farm kept as it is; --reset makes it anew.")


main.add_command(demo_command, "demo")


@main.command()
@click.argument("document", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.pass_obj
@complains
def apply(settings: Settings, document: Path) -> None:
    """Create or update farm, soils, systems, blocks, stations, sensors and calibrations from a JSON DOCUMENT.

    The format is docs/farm.schema.json. Applying the same document twice changes nothing.
    """
    migrated(settings)
    report = apply_document(parse_document(document.read_bytes()))
    click.echo(report.sentence())


@main.command()
@click.argument("target", type=click.Path(dir_okay=False, path_type=Path))
@click.option("--photos/--no-photos", default=True, show_default=True, help="Whether photos come along.")
@click.pass_obj
@complains
def export(settings: Settings, target: Path, photos: bool) -> None:
    """Write the whole farm but its readings as a farm document to TARGET ('-' for standard output).

    Applied to an empty database it makes the same farm.
    """
    opened(settings)
    text = json.dumps(farm_document(photos), ensure_ascii=False, indent=1) + "\n"
    if str(target) == "-":
        click.echo(text, nl=False)
    else:
        target.write_text(text, encoding="utf-8")
        click.echo(f"Written: {target}")


@main.command()
@click.argument("blocks", nargs=-1)
@click.option("--as-of", help="Farm-local moment like 2026-07-14T06:00; now if absent.")
@click.option(
    "--known",
    type=click.Choice(["then", "now"]),
    default="then",
    show_default=True,
    help="Whether from what was known at that moment, or from all that is known today.",
)
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON, with the Working.")
@click.pass_obj
@complains
def advise(settings: Settings, blocks: tuple[str, ...], as_of: str | None, known: str, as_json: bool) -> None:
    """Print the Round: when to irrigate, how much, for how long; for all BLOCKS or those named."""
    opened(settings)
    with known_then.all_known() if known == "now" else nullcontext():
        content = advice_service.round_content(as_of, list(blocks) or None)
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    click.echo(f"{content.farm}, {content.as_of}. {content.sentence}")
    for block in content.blocks:
        click.echo(f"{block.group.upper():<7}{block.name:<16}{_when(block):<36} {block.reason}")
        for note in block.not_trusted:
            click.echo(f"{'':<7}! {note}")


@main.command()
@click.argument("blocks", nargs=-1)
@click.option("--days", default=60, show_default=True, help="How many days back.")
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
@click.pass_obj
@complains
def faults(settings: Settings, blocks: tuple[str, ...], days: int, as_json: bool) -> None:
    """Print what is not believed: faults by sensor with times, class and reason, for all BLOCKS or those named."""
    opened(settings)
    content = faults_content(list(blocks) or None, days)
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    for fault in content.faults:
        word = f" ({fault.verdict})" if fault.verdict else ""
        click.echo(f"{fault.sensor:<24}{fault.start[:16]}  {fault.fault:<12}{fault.reason}{word}")
    for suspicion in content.suspicions:
        click.echo(f"{suspicion.station:<24}{'':<18}crossed?    {suspicion.words}")


def _when(block: Any) -> str:
    if block.refill is None or block.advised is None:
        return ""
    days = block.refill.days
    high = f"{days.high:.1f}" if days.high is not None else "?"
    values = {"mid_days": days.mid, "low": f"{days.low:.1f}", "high": high, "net_mm": block.advised.net_mm}
    return say(Notice("cli.advice", **values, set_h=block.advised.set_time_h))


@main.command("schemas", hidden=True)
@click.argument("folder", type=click.Path(file_okay=False, path_type=Path))
@complains
def schemas(folder: Path) -> None:
    """Write the schemas of farm document and import plan, the OpenAPI document and the quantities to a FOLDER."""
    from embalse.app import create_app
    from embalse.core.wording.quantities import quantities_module

    (folder / "quantities.gen.ts").write_text(quantities_module(), encoding="utf-8")

    documents = {
        "farm.schema.json": FarmDocument.model_json_schema(),
        "import-plan.schema.json": ImportPlan.model_json_schema(),
        "openapi.json": create_app(Settings()).api_doc,
    }
    for name, document in documents.items():
        text = json.dumps(document, ensure_ascii=False, indent=2, sort_keys=True) + "\n"
        (folder / name).write_text(text, encoding="utf-8")


for command in (
    backup,
    check,
    restore,
    import_command,
    undo_command,
    gateway,
    standin,
    person,
    changes,
    calibrate_command,
    marks_command,
    wettings_command,
    ledger_command,
    skill_command,
    weather,
):
    main.add_command(command)
