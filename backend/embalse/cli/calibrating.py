"""Calibration from a table of weighed samples."""

from pathlib import Path

import click

from embalse.cli.common import complains
from embalse.services.calibration.calibrate import LARGEST_TABLE, calibrate


@click.command("calibrate")
@click.argument("samples", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
@complains
def calibrate_command(samples: Path, as_json: bool) -> None:
    """Fit a calibration to weighed SAMPLES in a CSV file; no database is needed.

    Columns: raw (several readings parted by spaces), tare_g, wet_g, dry_g, ring_volume_cm3 or bulk_density_g_cm3, and
    if wanted stones_fraction, oven_c, oven_h, soil, depth_cm; or theta in place of the masses.
    """
    if samples.stat().st_size > LARGEST_TABLE:
        raise ValueError("the file is no table of samples: it is larger than 5 MB")
    content = calibrate(samples.read_text(encoding="utf-8-sig"))
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    for sample in content.samples:
        note = f"  ! {'; '.join(sample.cautions)}" if sample.cautions else ""
        click.echo(f"line {sample.line:<4} raw {sample.raw:<10g} θ {sample.theta:.3f}{note}")
    for one in content.fits:
        told = (
            one.refused or f"left out {one.left_out_rmse_theta or float('nan'):.4f}, fitted {one.rmse_theta:.4f} m³/m³"
        )
        click.echo(f"{one.model:<10} {told}")
    click.echo(content.words)
    click.echo(content.pooling)
    for apart in content.apart:
        rmse = "" if apart.calibration is None else f", left out {apart.calibration['rmse_theta']:.4f} m³/m³"
        click.echo(f"{apart.group or 'no soil or depth given'}: {apart.best or 'no curve'}{rmse}. {apart.words}")
