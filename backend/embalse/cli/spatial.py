"""Between the stations on the command line: the map of a block."""

import sys
from typing import TextIO, get_args

import click

from embalse.cli.common import complains, opened
from embalse.config import Settings
from embalse.core.spatial.node_error import What
from embalse.services.spatial.block_map import map_content
from embalse.services.spatial.block_zones import zones_content, zones_csv, zones_geojson
from embalse.services.spatial.drawn import Kind, keep_areas
from embalse.services.spatial.nodes import add_nodes, nodes_content
from embalse.services.spatial.open_formats import cells_csv, map_geojson


@click.command("map")
@click.argument("block")
@click.option("--at", "as_of", help="Farm-local moment like 2026-07-14T06:00; now if absent.")
@click.option("--what", type=click.Choice(get_args(What)), default="depletion", help="What is mapped.")
@click.option("--geojson", "how", flag_value="geojson", help="Print nodes, cells and contours as GeoJSON.")
@click.option("--csv", "how", flag_value="csv", help="Print the cells as CSV.")
@click.option("--json", "how", flag_value="json", help="Print everything as JSON.")
@click.pass_obj
@complains
def map_command(settings: Settings, block: str, as_of: str | None, what: What, how: str | None) -> None:
    """Map BLOCK between its stations, with the doubt; where that would be invention, say why and fail."""
    opened(settings)
    content = map_content(block, as_of, what)
    if content.ground is None:
        click.echo(content.why_not, err=True)
        sys.exit(1)
    if how is not None:
        click.echo(
            {"geojson": map_geojson, "csv": cells_csv, "json": lambda c: c.model_dump_json(indent=2)}[how](content)
        )
        return
    click.echo(content.headline)
    for words in content.stands:
        click.echo(words)
    if content.next_node is not None:
        click.echo(f"{content.next_node.words} ({content.next_node.latitude}, {content.next_node.longitude})")


@click.command("zones")
@click.argument("block")
@click.option("--at", "as_of", help="Farm-local moment like 2026-07-14T06:00; now if absent.")
@click.option("--geojson", "how", flag_value="geojson", help="Print the zones with their amounts as GeoJSON.")
@click.option("--csv", "how", flag_value="csv", help="Print the zones as CSV.")
@click.option("--keep", type=click.File(encoding="utf-8"), help="Keep the zones of this GeoJSON file first.")
@click.option("--soils", type=click.File(encoding="utf-8"), help="Keep the soil zones of this GeoJSON file first.")
@click.pass_obj
@complains
def zones_command(settings: Settings, block: str, as_of: str | None, how: str | None, **files: TextIO | None) -> None:
    """Say what to give where in BLOCK, by the zones kept for it or those that lie apart for good.

    One amount for all fails.
    """
    opened(settings)
    kinds: list[tuple[str, Kind, str]] = [("soils", "soil_zones", "soil zones"), ("keep", "block_zones", "zones")]
    for name, kind, words in kinds:
        file = files[name]
        if file is not None:
            click.echo(f"{keep_areas(block, file.read(), kind).zones} {words} kept", err=True)
    content = zones_content(block, as_of)
    if content.why_not:
        click.echo(content.why_not, err=True)
        sys.exit(1)
    if how is not None:
        click.echo(zones_geojson(block, as_of) if how == "geojson" else zones_csv(block, as_of))
        return
    for zone in content.zones:
        if zone.lacks_mm is None or zone.error_mm is None:
            click.echo(f"{zone.name}, {zone.area_ha:.1f} ha: no advice because {zone.why_not}")
            continue
        give = "" if zone.gross_mm is None else f", {zone.gross_mm:.0f} mm gross fill it"
        click.echo(
            f"{zone.name}, {zone.area_ha:.1f} ha: lacks {zone.lacks_mm:.0f} ± {zone.error_mm:.0f} mm{give}"
            + (f"; {zone.by}" if zone.by else "")
        )
    click.echo(content.words)


@click.command("nodes")
@click.argument("block")
@click.argument("file", required=False, type=click.File(encoding="utf-8"))
@click.option("--json", "as_json", is_flag=True, help="Print the list as JSON.")
@click.pass_obj
@complains
def nodes_command(settings: Settings, block: str, file: TextIO | None, as_json: bool) -> None:
    """List the nodes of BLOCK and how each is heard; with a FILE (CSV or GeoJSON) add them first."""
    opened(settings)
    if file is not None:
        told = add_nodes(block, file.read())
        click.echo(
            f"{told.nodes} nodes: {told.created} new, {told.changed} changed, {told.unchanged} as they were", err=True
        )
    content = nodes_content(block)
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    for node in content.nodes:
        missed = "" if not node.missed else f", {node.missed} of {node.expected} readings of the last week missing"
        click.echo(f"{node.name}: last heard {node.last_heard or 'never'}{missed}")
