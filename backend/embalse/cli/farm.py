"""Commands about the whole farm: making it, its document in and out."""

import json
from pathlib import Path

import click

from embalse.cli.common import complains, migrated, opened
from embalse.config import Settings
from embalse.services.document.apply import apply_document
from embalse.services.document.export import farm_document
from embalse.services.document.farm_document import FarmDocument, known_from_its_days, parse_document
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

    The format is docs/farm.schema.json. Applying the same document twice changes nothing. Use --known-from-its-days
    for a season that is over and is entered afterwards.
    """
    migrated(settings)
    parsed = parse_document(document.read_bytes())
    report = apply_document(known_from_its_days(parsed) if past else parsed)
    click.echo(report.sentence())


@click.command()
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
