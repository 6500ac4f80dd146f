"""Marks on the command line: every estimator's answer with its evidence."""

import click

from embalse.cli.common import complains, opened
from embalse.config import Settings
from embalse.core.wording import Notice
from embalse.services.marks.marks_page import EstimateOut, marks_content
from embalse.services.reader import say


@click.command("marks")
@click.argument("block")
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
@click.option("--as-of", default=None, help="Farm-local moment, like 2026-07-14T06:00; now if absent.")
@click.pass_obj
@complains
def marks_command(settings: Settings, block: str, as_json: bool, as_of: str | None) -> None:
    """Say what every estimator makes of the marks of BLOCK, with evidence and confidence."""
    opened(settings)
    content = marks_content(block, as_of)
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    if content.why_not:
        click.echo(content.why_not)
    for layer in content.layers:
        marks = {"full_theta": layer.theta_full, "refill_theta": layer.theta_refill}
        span = {"top_cm": layer.top_cm, "bottom_cm": layer.bottom_cm, "wilting_theta": layer.theta_wilting}
        click.echo(say(Notice("cli.layer", **marks, **span)))
        for one in (*layer.full, *layer.wilting):
            click.echo(f"  {_line(one)}")
    click.echo("root zone")
    for one in content.refill:
        click.echo(f"  {_line(one)}")
    for offer in content.offers:
        click.echo(f"offer: {offer.words}")


def _line(one: EstimateOut) -> str:
    value = "no answer" if one.value is None else f"{one.value:.3g}"
    stage = f", {one.stage}" if one.stage else ""
    return f"{one.mark:<8} {one.estimator:<34} {value:<10} {one.confidence:<5} {one.evidence}{stage}"
