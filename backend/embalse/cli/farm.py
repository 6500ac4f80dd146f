"""Commands about the whole farm: making it, its document in and out."""

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any, TextIO

import click

from embalse.cli.common import complains, migrated, opened
from embalse.config import Settings
from embalse.services.document.apply import apply_document
from embalse.services.document.export import farm_document
from embalse.services.document.farm_document import FarmDocument, known_from_its_days, parse_document
from embalse.services.document.package import read_package, write_package
from embalse.services.intake.ground_tables import GroundTableIn, Kind, ground_table
from embalse.services.intake.import_plan import ImportPlan
from embalse.services.schema.land import FarmPart


@click.command()
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


@click.command()
@click.argument("document", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option(
    "--known-from-its-days",
    "past",
    is_flag=True,
    help="Marks, curves, rules and calibrations without 'entered' count as known from the day they are in force.",
)
@click.pass_obj
@complains
def apply(settings: Settings, document: Path, past: bool) -> None:
    """Create or update farm, soils, systems, blocks, stations, sensors and calibrations from a JSON DOCUMENT.

    A package (.zip) that 'export' wrote is read into an empty database, all of it or nothing.

    The format is docs/farm.schema.json. Applying the same document twice changes nothing. Use --known-from-its-days
    for a season that is over and is entered afterwards.
    """
    migrated(settings)
    if document.suffix == ".zip":
        with document.open("rb") as file:
            counts = read_package(file, settings.database.with_name("embalse.package.part"))
        click.echo(f"Read {sum(counts.values())} rows of {sum(map(bool, counts.values()))} tables.")
        click.echo("People come without passwords: invite them with 'embalse person invite'.", err=True)
        return
    parsed = parse_document(document.read_bytes())
    report = apply_document(known_from_its_days(parsed) if past else parsed)
    click.echo(report.sentence())


@click.command()
@click.argument("target", type=click.Path(dir_okay=False, path_type=Path))
@click.option("--photos/--no-photos", default=True, show_default=True, help="Whether photos come along (JSON).")
@click.option("--block", help="One block alone (.zip).")
@click.option("--first", type=click.DateTime(["%Y-%m-%d"]), help="First day of readings, weather and sets (.zip).")
@click.option("--last", type=click.DateTime(["%Y-%m-%d"]), help="Last day of them (.zip).")
@click.pass_obj
@complains
def export(settings: Settings, target: Path, photos: bool, **part: Any) -> None:
    """Write the whole farm to TARGET: a package (.zip) with everything, or a farm document (.json, '-').

    The document has no readings. Applied to an empty database either makes the same farm; the package brings its past
    along.
    """
    opened(settings)
    if target.suffix == ".zip":
        _package(settings, target, part)
        return
    if any(part.values()):
        raise click.UsageError("--block, --first and --last belong to a package: give a TARGET that ends in .zip")
    text = json.dumps(farm_document(photos), ensure_ascii=False, indent=1) + "\n"
    if str(target) == "-":
        click.echo(text, nl=False)
    else:
        target.write_text(text, encoding="utf-8")
        click.echo(f"Written: {target}")


def _package(settings: Settings, target: Path, part: Mapping[str, Any]) -> None:
    days = (part["first"].date() if part["first"] else None, part["last"].date() if part["last"] else None)
    beside = target.with_suffix(".zip.part")
    try:
        with beside.open("wb") as file:
            counts = write_package(file, settings.database, part["block"], days)
        beside.replace(target)
    finally:
        beside.unlink(missing_ok=True)
    click.echo(f"Written: {target}, {sum(counts.values())} rows, {counts['reading']} readings")


@click.command("schemas", hidden=True)
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


@click.command("ground")
@click.argument("kind", type=click.Choice(["soils", "blocks"]))
@click.argument("file", type=click.File(encoding="utf-8-sig"))
@click.option("--map", "mapped", multiple=True, metavar="FIELD=COLUMN", help="Which column is which; remembered.")
@click.option("--look", is_flag=True, help="Say what would be stored, and store nothing.")
@click.pass_obj
@complains
def ground(settings: Settings, kind: Kind, file: TextIO, mapped: tuple[str, ...], look: bool) -> None:
    """Bring in soil analyses of a CSV table (soils) or block outlines of GeoJSON (blocks)."""
    opened(settings)
    pairs = [one.partition("=") for one in mapped]
    mapping = {field: column for field, _, column in pairs} if pairs else None
    told = ground_table(GroundTableIn(kind=kind, text=file.read(), mapping=mapping, store=not look))
    for field, column in told.mapping.items():
        click.echo(f"{field}: {column}", err=True)
    if look:
        click.echo(f"{len(told.keys)} {kind}: {', '.join(told.keys)}")
    else:
        click.echo(f"{len(told.keys)} {kind}: {told.created} new, {told.changed} changed")
