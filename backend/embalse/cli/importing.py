"""Logger files in, and out again."""

import json
import sys
from pathlib import Path
from typing import Any

import click

from embalse.cli.common import complains, opened
from embalse.config import Settings
from embalse.core.wording import Notice
from embalse.ingest.layout import FileRefused, inspect_file
from embalse.ingest.spreadsheet import as_table
from embalse.services.advice.what_changed import BlockChange
from embalse.services.intake.import_plan import ImportPlan, parse_plan, plan_by_names, signature
from embalse.services.intake.imports import ImportReport, run_import
from embalse.services.intake.undo import undo_import
from embalse.services.load import clock
from embalse.services.reader import say
from embalse.store import farm as farm_store
from embalse.store import imports as import_store


@click.command("import")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--profile", help="Use a remembered profile.")
@click.option("--plan", type=click.Path(exists=True, dir_okay=False, path_type=Path), help="Use a plan in a JSON file.")
@click.option("--time-zone", help="Zone or fixed offset of the times, when columns are matched by name.")
@click.option("--save", "save_as", help="Remember how this file was read, under this name.")
@click.option("--skip-refused", is_flag=True, help="Store the good readings even when some are refused.")
@click.option("--sheet", default="", help="Sheet of a spreadsheet (.xlsx); its first one if absent.")
@click.option("--json", "as_json", is_flag=True, help="Print the report as JSON.")
@click.pass_obj
@complains
def import_command(settings: Settings, file: Path, **options: Any) -> None:
    """Read a logger FILE: all of it or nothing.

    Columns are mapped by --profile or --plan; without either, by column names that equal a sensor's channel or its
    block/station/sensor; else by the one remembered profile made for files with the same header.
    """
    opened(settings)
    with as_table(file, options["sheet"]) as table:
        plan, how = _plan_for(table, options)
        report = run_import(table, file.name, plan, options["skip_refused"])
        if options["save_as"] and report.status == "done":
            kept = plan.model_dump(mode="json")
            import_store.save_profile(options["save_as"], signature(inspect_file(table)), kept)
    _print_report(report, how, options["as_json"])
    sys.exit(0 if report.status == "done" else 1)


def _plan_for(file: Path, options: dict[str, Any]) -> tuple[ImportPlan, str]:
    inspection = inspect_file(file)
    if options["plan"]:
        return parse_plan(options["plan"].read_bytes()), "plan file"
    if options["profile"]:
        return ImportPlan.model_validate(import_store.profile(options["profile"])), f"profile '{options['profile']}'"
    zone = options["time_zone"] or clock.the_farm().time_zone
    plan = plan_by_names(inspection, farm_store.sensors(companions=None), zone)
    if plan is not None:
        caution = "; ".join(inspection.cautions)
        return plan, "column names, times in " + zone + (f"; {caution}" if caution else "")
    remembered = import_store.profiles(signature(inspection))
    if len(remembered) == 1:
        return ImportPlan.model_validate(remembered[0][1]), f"profile '{remembered[0][0]}', same header"
    names = ", ".join(c.name for c in inspection.columns)
    raise FileRefused(f"no column is named like a sensor's channel and no profile fits; the file has: {names}")


def _change_words(change: BlockChange) -> str:
    depths = {
        "old_mm": change.depletion_before_mm,
        "new_mm": change.depletion_after_mm,
        "old_net_mm": change.net_before_mm,
        "new_net_mm": change.net_after_mm,
    }
    known = {name: Notice("word.none") if value is None else value for name, value in depths.items()}
    groups = {"name": change.name, "before": change.group_before, "after": change.group_after}
    return say(Notice("cli.change", **groups, **known))


@click.command("undo-import")
@click.argument("number", type=int)
@click.pass_obj
@complains
def undo_command(settings: Settings, number: int) -> None:
    """Take out the readings that import NUMBER of a file stored."""
    opened(settings)
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
