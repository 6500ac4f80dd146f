"""Seasons on the command line: a block's water account, and the plantings of the farm."""

from datetime import datetime

import click

from embalse.cli.common import complains, opened
from embalse.config import Settings
from embalse.services.planning.plan_table import as_csv
from embalse.services.season.account import SeasonAccountContent, season_account
from embalse.services.season.closing import closing_content, farm_closing
from embalse.services.season.farm_seasons import farm_seasons, seasons_csv
from embalse.services.season.table import account_csv, account_rows, farm_plantings
from embalse.services.season.water_used import say_water_used, water_used, water_used_csv


@click.command("season")
@click.argument("block", required=False)
@click.option("--planting", help="Key of a planting; the one in the ground if absent.")
@click.option("--as-of", help="Farm-local moment like 2026-07-14T06:00; now if absent.")
@click.option("--json", "how", flag_value="json", help="Print everything as JSON.")
@click.option("--csv", "how", flag_value="csv", help="Print the account as CSV.")
@click.pass_obj
@complains
def season_command(
    settings: Settings, block: str | None, planting: str | None, as_of: str | None, how: str | None
) -> None:
    """Add up the water of BLOCK's season: in, used, below the roots, stored, and what is not accounted for.

    Without BLOCK: every planting of the farm, and the farm's account of what stands.
    """
    opened(settings)
    if block is None:
        _whole_farm(as_of, how)
        return
    content = season_account(block, as_of, planting)
    if how == "json":
        click.echo(content.model_dump_json(indent=2))
        return
    if how == "csv":
        click.echo(account_csv(content), nl=False)
        return
    _say(content, account_rows(content))


def _whole_farm(as_of: str | None, how: str | None) -> None:
    if how == "csv":
        click.echo(seasons_csv(as_of), nl=False)
        return
    content = farm_seasons(as_of)
    if how == "json":
        click.echo(content.model_dump_json(indent=2))
        return
    for one in content.rows:
        given = one.why_not if one.given_mm is None else f"{one.given_mm:.0f} mm given, {one.use_mm:.0f} mm used"
        below = "" if one.below_mm is None else f", {one.below_mm:.0f} mm below the roots"
        click.echo(f"{one.name}, {one.crop} from {one.first_day}: {given}{below}")
    if content.total is not None:
        left = content.total.residual
        click.echo(
            f"The farm: {content.total.irrigation.m3:.0f} m³ on {content.total.area_ha:g} ha; "
            f"{left.m3:.0f} ± {left.error_m3:.0f} m³ not accounted for"
        )


def _say(content: SeasonAccountContent, rows: list[tuple[str, float, float]]) -> None:
    click.echo(content.headline)
    if content.why_not:
        click.echo(content.why_not)
    for name, mm, error in rows:
        click.echo(f"{name:<28} {mm:8.1f} ± {error:.1f} mm")
    for words in [*content.change, *content.not_told]:
        click.echo(words)


@click.command("closing")
@click.argument("block", required=False)
@click.option("--as-of", help="Farm-local moment like 2026-07-14T06:00; now if absent.")
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
@click.pass_obj
@complains
def closing_command(settings: Settings, block: str | None, as_of: str | None, as_json: bool) -> None:
    """Tell how closing BLOCK's season stands, or every block's: last water, sensors out, harvest, what comes next."""
    opened(settings)
    if block is None:
        farm = farm_closing(as_of)
        if as_json:
            click.echo(farm.model_dump_json(indent=2))
            return
        for line in farm.blocks:
            now = next((s.words for s in line.steps if s.state == "now"), "nothing to do yet")
            click.echo(f"{line.name}, {line.crop}: {now}")
        return
    content = closing_content(block, as_of)
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    for step in content.steps:
        click.echo(f"{step.state:<11} {step.words}")
    for lesson in content.lessons:
        click.echo(lesson.words)
    if content.proposal is not None:
        click.echo(f"next: {content.proposal.crop} from {content.proposal.first_day}: {content.proposal.why}")


@click.command("water-used")
@click.option("--first", type=click.DateTime(["%Y-%m-%d"]), help="First day; 1 January if absent.")
@click.option("--last", type=click.DateTime(["%Y-%m-%d"]), help="Last day; today if absent.")
@click.option("--as-of", help="Farm-local moment like 2026-07-14T06:00; now if absent.")
@click.option("--json", "how", flag_value="json", help="Print everything as JSON.")
@click.option("--csv", "how", flag_value="csv", help="Print the blocks as CSV.")
@click.pass_obj
@complains
def water_used_command(
    settings: Settings, first: datetime | None, last: datetime | None, as_of: str | None, how: str | None
) -> None:
    """Account for the water used between two days: meter readings, blocks, and the method."""
    opened(settings)
    days = first.date() if first else None, last.date() if last else None
    if how == "csv":
        click.echo(water_used_csv(as_of, *days), nl=False)
        return
    told = water_used(as_of, *days)
    if how == "json":
        click.echo(told.model_dump_json(indent=2))
        return
    for line in say_water_used(told):
        click.echo(line)


@click.command("plantings")
@click.option("--as-of", help="Farm-local moment like 2026-07-14T06:00; now if absent.")
@click.pass_obj
@complains
def plantings_command(settings: Settings, as_of: str | None) -> None:
    """List what was planted where and when, one after another, as CSV."""
    opened(settings)
    names = ("block", "planting", "crop", "variety", "first_day", "last_day", "yield_t_ha")
    click.echo(as_csv(names, farm_plantings(as_of)), nl=False)
