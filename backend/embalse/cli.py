"""The command line: ``embalse --help``."""

import json
import sys
from collections.abc import Callable
from functools import wraps
from ipaddress import ip_address
from pathlib import Path
from typing import Any

import click

from embalse import __version__
from embalse.config import SETTING_HELP, Settings, settings_from
from embalse.core.errors import CoreError
from embalse.ingest.layout import FileRefused, inspect_file
from embalse.services import advise as advice_service
from embalse.services import clock, telemetry, times
from embalse.services.apply import apply_document
from embalse.services.drop_folder import DropFolder
from embalse.services.export import farm_document
from embalse.services.farm_document import DocumentErrors, FarmDocument, parse_document
from embalse.services.import_plan import ImportPlan, parse_plan, plan_by_names, signature
from embalse.services.imports import ImportReport, run_import
from embalse.services.keeping import Schedule, backup_now, copy_name
from embalse.services.parts.land import FarmPart
from embalse.services.undo import undo_import
from embalse.services.watch import faults_content
from embalse.services.what_changed import BlockChange
from embalse.standins import demo
from embalse.standins.logger import LoggerStandIn, dry_down_readings
from embalse.store import farm as farm_store
from embalse.store import imports as import_store
from embalse.store import keeping
from embalse.store.database import open_database, transaction
from embalse.store.errors import NotFound, StoreError

SETTINGS_TEXT = "\n".join(f"  EMBALSE_{name.upper():<10} {text}" for name, text in SETTING_HELP.items())


def complains(command: Callable[..., Any]) -> Callable[..., Any]:
    """Turn refusals into one line a fault on standard error and exit status 1."""

    @wraps(command)
    def wrapped(*args: Any, **kwargs: Any) -> Any:
        try:
            return command(*args, **kwargs)
        except DocumentErrors as refused:
            for error in refused.errors:
                click.echo(f"{error.path}: {error.reason}", err=True)
        except (StoreError, CoreError, FileRefused, ValueError, OSError) as refused:
            click.echo(str(refused), err=True)
        sys.exit(1)

    return wrapped


def _open(settings: Settings) -> None:
    if not settings.database.exists():
        raise NotFound("database", "there is no farm here yet; run 'embalse init' or 'embalse demo' first")
    _migrated(settings)


def _migrated(settings: Settings) -> None:
    copy = open_database(settings.database)
    if copy:
        click.echo(f"The database was brought up to date; a copy from before is {copy.name}.", err=True)


@click.group(epilog=f"\b\nSettings, by environment variable:\n{SETTINGS_TEXT}")
@click.version_option(__version__)
@click.pass_context
@complains
def main(context: click.Context) -> None:
    """Irrigation advice from soil moisture probes: when, how much, for how long."""
    context.obj = settings_from()


@main.command()
@click.option("--name", help="Name of the farm; without it the farm is set up on screen or by 'apply'.")
@click.option("--time-zone", default="UTC", show_default=True, help="Zone of the farm, for example Europe/Madrid.")
@click.option("--units", type=click.Choice(["metric", "us"]), default="metric", show_default=True)
@click.pass_obj
@complains
def init(settings: Settings, name: str | None, time_zone: str, units: str) -> None:
    """Make an empty database, or bring an older one up to date."""
    _migrated(settings)
    if name:
        part = FarmPart.model_validate({"name": name, "time_zone": time_zone, "units": units})
        apply_document(FarmDocument(embalse=1, farm=part))
    click.echo(f"Database ready: {settings.database}")


@main.command()
@click.pass_obj
@complains
def serve(settings: Settings) -> None:
    """Serve the application to this machine's browser."""
    from waitress import serve as serve_forever

    from embalse.app import create_app

    if settings.host != "localhost" and not ip_address(settings.host).is_loopback:
        raise ValueError(
            "EMBALSE_HOST must be a loopback address: there is no sign-in yet, so nobody else may reach it"
        )
    _migrated(settings)
    with transaction():
        import_store.close_cut_jobs(times.now_utc())
    if settings.backup_hours:
        Schedule(settings.database, settings.backups, settings.backup_hours, settings.backups_kept).start()
    if settings.drop_folder:
        DropFolder(Path(settings.drop_folder).expanduser()).start()
    click.echo(f"Embalse is at http://{settings.host}:{settings.port}  (Ctrl+C stops it)")
    serve_forever(create_app(settings), host=settings.host, port=settings.port, threads=settings.threads, ident=None)


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
    _migrated(settings)
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
    _open(settings)
    text = json.dumps(farm_document(photos), ensure_ascii=False, indent=1) + "\n"
    if str(target) == "-":
        click.echo(text, nl=False)
    else:
        target.write_text(text, encoding="utf-8")
        click.echo(f"Written: {target}")


@main.command()
@click.argument("target", required=False, type=click.Path(dir_okay=False, path_type=Path))
@click.pass_obj
@complains
def backup(settings: Settings, target: Path | None) -> None:
    """Copy the database to TARGET, or into the backup folder; readers and writers go on meanwhile."""
    if target is not None:
        made = keeping.backup(settings.database, target)
    else:
        made = backup_now(settings.database, settings.backups, settings.backups_kept)
    click.echo(f"Copied to {made}")


@main.command()
@click.argument("file", required=False, type=click.Path(path_type=Path))
@click.pass_obj
@complains
def check(settings: Settings, file: Path | None) -> None:
    """Check the database, or a copy of it: integrity, rows that point nowhere, imports left open."""
    report = keeping.check(file or settings.database)
    rows = ", ".join(f"{count} {name}" for name, count in report.rows.items() if count)
    click.echo(f"Schema {report.version}; {rows or 'empty'}.")
    for trouble in report.troubles:
        click.echo(trouble, err=True)
    click.echo("Nothing wrong." if not report.troubles else f"{len(report.troubles)} wrong.")
    sys.exit(1 if report.troubles else 0)


@main.command()
@click.argument("copy", type=click.Path(path_type=Path))
@click.pass_obj
@complains
def restore(settings: Settings, copy: Path) -> None:
    """Make the database what COPY is; what was there is kept as a copy of its own."""
    aside = copy_name(settings.backups)
    keeping.restore(copy, settings.database, aside)
    _migrated(settings)
    click.echo(f"Restored from {copy}." + (f" What was there is {aside}." if aside.exists() else ""))


@main.command("import")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--profile", help="Use a remembered profile.")
@click.option("--plan", type=click.Path(exists=True, dir_okay=False, path_type=Path), help="Use a plan in a JSON file.")
@click.option("--time-zone", help="Zone or fixed offset of the times, when columns are matched by name.")
@click.option("--save", "save_as", help="Remember how this file was read, under this name.")
@click.option("--skip-refused", is_flag=True, help="Store the good readings even when some are refused.")
@click.option("--json", "as_json", is_flag=True, help="Print the report as JSON.")
@click.pass_obj
@complains
def import_command(settings: Settings, file: Path, **options: Any) -> None:
    """Read a logger FILE: all of it or nothing.

    Columns are mapped by --profile or --plan; without either, by column names that equal a sensor's channel or its
    block/station/sensor; else by the one remembered profile made for files with the same header.
    """
    _open(settings)
    plan, how = _plan_for(file, options)
    report = run_import(file, file.name, plan, options["skip_refused"])
    if options["save_as"] and report.status == "done":
        kept = plan.model_dump(mode="json")
        import_store.save_profile(options["save_as"], signature(inspect_file(file)), kept)
    _print_report(report, how, options["as_json"])
    sys.exit(0 if report.status == "done" else 1)


def _plan_for(file: Path, options: dict[str, Any]) -> tuple[ImportPlan, str]:
    inspection = inspect_file(file)
    if options["plan"]:
        return parse_plan(options["plan"].read_bytes()), "plan file"
    if options["profile"]:
        return ImportPlan.model_validate(import_store.profile(options["profile"])), f"profile '{options['profile']}'"
    zone = options["time_zone"] or clock.the_farm().time_zone
    plan = plan_by_names(inspection, farm_store.sensors(), zone)
    if plan is not None:
        caution = "; ".join(inspection.cautions)
        return plan, "column names, times in " + zone + (f"; {caution}" if caution else "")
    remembered = import_store.profiles(signature(inspection))
    if len(remembered) == 1:
        return ImportPlan.model_validate(remembered[0][1]), f"profile '{remembered[0][0]}', same header"
    names = ", ".join(c.name for c in inspection.columns)
    raise FileRefused(f"no column is named like a sensor's channel and no profile fits; the file has: {names}")


def _change_words(change: BlockChange) -> str:
    def depth(value: float | None) -> str:
        return "none" if value is None else f"{value:.0f} mm"

    return (
        f"{change.name}: {change.group_before} → {change.group_after}, depletion {depth(change.depletion_before_mm)} → "
        f"{depth(change.depletion_after_mm)}, net {depth(change.net_before_mm)} → {depth(change.net_after_mm)}"
    )


@main.command("undo-import")
@click.argument("number", type=int)
@click.pass_obj
@complains
def undo_command(settings: Settings, number: int) -> None:
    """Take out the readings that import NUMBER of a file stored."""
    _open(settings)
    click.echo(f"{undo_import(number)} readings taken out.")


def _print_report(report: ImportReport, how: str, as_json: bool) -> None:
    if as_json:
        from dataclasses import asdict

        click.echo(json.dumps({**asdict(report), "mapped_by": how}, ensure_ascii=False, indent=2))
        return
    click.echo(f"Mapped by {how}.")
    counts = (
        f"{report.readings_new} new readings, {report.readings_known} already stored, {report.cells_empty} empty cells"
    )
    click.echo(f"Import {report.job_id}: {report.rows_read} rows read: {counts}, {report.refused} refused.")
    for note in report.notes:
        click.echo(note)
    for change in report.changed:
        click.echo(_change_words(change))
    for refusal in report.refusals[:20]:
        where = f"line {refusal.line}" + (f", {refusal.column}" if refusal.column else "")
        click.echo(f"{where}: {refusal.reason} [{refusal.text}]", err=True)
    if report.refused > 20:
        click.echo(f"… and {report.refused - 20} more", err=True)
    if report.message:
        click.echo(report.message, err=True)


@main.command()
@click.argument("blocks", nargs=-1)
@click.option("--as-of", help="Farm-local moment like 2026-07-14T06:00; now if absent.")
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON, with the Working.")
@click.pass_obj
@complains
def advise(settings: Settings, blocks: tuple[str, ...], as_of: str | None, as_json: bool) -> None:
    """Print the Round: when to irrigate, how much, for how long; for all BLOCKS or those named."""
    _open(settings)
    content = advice_service.round_content(as_of, list(blocks) or None)
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    click.echo(f"{content.farm}, {content.as_of}. {content.sentence}")
    for block in content.blocks:
        click.echo(f"{block.group.upper():<7}{block.name:<16}{_when(block):<36} {block.reason}")
        for note in block.not_trusted:
            click.echo(f"{'':<7}! {note}")


@main.group()
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
    _open(settings)
    click.echo(telemetry.register(key, name, stations))


@gateway.command("revoke")
@click.argument("key")
@click.pass_obj
@complains
def gateway_revoke(settings: Settings, key: str) -> None:
    """Revoke the token of gateway KEY; what it sent stays."""
    _open(settings)
    telemetry.revoke(key)
    click.echo(f"{key} can send no more.")


@gateway.command("list")
@click.pass_obj
@complains
def gateway_list(settings: Settings) -> None:
    """Print the gateways with what they last said of themselves."""
    _open(settings)
    for one in telemetry.gateways():
        state = "revoked" if one.revoked else f"last heard {one.last_seen[:16]}" if one.last_seen else "never heard"
        battery = "" if one.battery_v is None else f", {one.battery_v:.2f} V{' LOW' if one.battery_low else ''}"
        click.echo(f"{one.key:<20}{state}{battery}")


@main.group()
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


@main.command()
@click.argument("blocks", nargs=-1)
@click.option("--days", default=60, show_default=True, help="How many days back.")
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
@click.pass_obj
@complains
def faults(settings: Settings, blocks: tuple[str, ...], days: int, as_json: bool) -> None:
    """Print what is not believed: faults by sensor with times, class and reason, for all BLOCKS or those named."""
    _open(settings)
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
    text = f"{days.mid:.1f} d ({days.low:.1f} to {high}), {block.advised.net_mm:.0f} mm net"
    minutes = block.advised.set_time_min
    return text if minutes is None else f"{text}, {minutes // 60} h {minutes % 60:02d}"


@main.command("schemas", hidden=True)
@click.argument("folder", type=click.Path(file_okay=False, path_type=Path))
@complains
def schemas(folder: Path) -> None:
    """Write the farm document's schema, the import plan's schema and the OpenAPI document to a FOLDER."""
    from embalse.app import create_app

    documents = {
        "farm.schema.json": FarmDocument.model_json_schema(),
        "import-plan.schema.json": ImportPlan.model_json_schema(),
        "openapi.json": create_app(Settings()).api_doc,
    }
    for name, document in documents.items():
        text = json.dumps(document, ensure_ascii=False, indent=2, sort_keys=True) + "\n"
        (folder / name).write_text(text, encoding="utf-8")
