"""Weather on the command line."""

from datetime import datetime
from pathlib import Path

import click

from embalse.cli.common import complains, opened
from embalse.config import Settings
from embalse.core.errors import CoreError
from embalse.core.weather.reference_et import Place
from embalse.services.intake.weather_import import LARGEST_TABLE, farm_latitude, import_forecast, import_weather


@click.group()
def weather() -> None:
    """Daily weather of the farm."""


@weather.command("import")
@click.argument("table", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--latitude", type=float, help="Degrees, north positive; that of the farm's stations if absent.")
@click.option("--elevation", type=float, required=True, help="Metres above the sea.")
@click.option("--wind-height", type=float, default=2.0, show_default=True, help="Metres of the wind gauge.")
@click.option("--json", "as_json", is_flag=True, help="Print the report as JSON.")
@click.pass_obj
@complains
def import_command(
    settings: Settings, *, table: Path, latitude: float | None, elevation: float, wind_height: float, as_json: bool
) -> None:
    """Work out reference ET from a CSV TABLE of days or hours and keep it with the rain; all of it or nothing.

    Hourly columns instead: at (2026-07-14T06:00, the farm's clock), t_c, rh_pct, wind_m_s, radiation_mj_m2 or
    radiation_w_m2, rain_mm.

    Columns: day (2026-07-14), tmax_c, tmin_c, and what is measured of rhmax_pct, rhmin_pct or tdew_c, wind_m_s,
    radiation_mj_m2 or sunshine_h, rain_mm, eto_mm.
    """
    opened(settings)
    if table.stat().st_size > LARGEST_TABLE:
        raise ValueError("the file is no table of days: it is larger than 20 MB")
    where = farm_latitude() if latitude is None else latitude
    if where is None:
        raise CoreError("latitude", "no station has a place: give --latitude")
    report = import_weather(table.read_text(encoding="utf-8-sig"), Place(where, elevation, wind_height))
    if as_json:
        click.echo(report.model_dump_json(indent=2))
        return
    how = ", ".join(f"{count} by {method}" for method, count in report.methods.items())
    click.echo(f"{report.days} days: {how}. Created {report.created}, changed {report.changed}.")
    for words in report.words:
        click.echo(f"! {words}")


@weather.command("forecast")
@click.argument("table", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--issued", required=True, help="Farm-local moment, like 2026-07-14T05:00.")
@click.option("--latitude", type=float, help="Degrees; that of the farm's stations if absent.")
@click.option("--elevation", type=float, help="Metres; needed where the table gives temperatures.")
@click.option("--note", default="", help="Where it comes from.")
@click.option("--json", "as_json", is_flag=True, help="Print the report as JSON.")
@click.pass_obj
@complains
def forecast_command(
    settings: Settings,
    *,
    table: Path,
    issued: str,
    latitude: float | None,
    elevation: float | None,
    note: str,
    as_json: bool,
) -> None:
    """Keep a forecast from a CSV TABLE of days and members; all of it or nothing.

    Columns: day, member, eto_mm, rain_mm; or in the place of eto_mm: tmax_c, tmin_c, and what is forecast of rhmax_pct,
    rhmin_pct, wind_m_s, radiation_mj_m2.
    """  # fmt: skip
    opened(settings)
    where = farm_latitude() if latitude is None else latitude
    place = None if elevation is None or where is None else Place(where, elevation)
    report = import_forecast(table.read_text(encoding="utf-8-sig"), _moment(issued), place, note)
    if as_json:
        click.echo(report.model_dump_json(indent=2))
        return
    click.echo(f"{report.days} days, {next(iter(report.methods))}. Created {report.created}.")


def _moment(text: str) -> datetime:
    try:
        return datetime.fromisoformat(text)
    except ValueError as wrong:
        raise ValueError(f"'{text}' is not a date and time; write it like 2026-07-14T05:00") from wrong
