"""Commands that answer: the Round and what is not believed."""

from contextlib import nullcontext
from typing import Any

import click

from embalse.cli.common import complains, opened
from embalse.config import Settings
from embalse.core.wording import Notice
from embalse.services.advice.advise import round_content
from embalse.services.reader import say
from embalse.store import known_then


@click.command()
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
        content = round_content(as_of, list(blocks) or None)
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    click.echo(f"{content.farm}, {content.as_of}. {content.sentence}")
    for block in content.blocks:
        click.echo(f"{block.group.upper():<7}{block.name:<16}{_when(block):<36} {block.reason}")
        for note in block.not_trusted:
            click.echo(f"{'':<7}! {note}")


@click.command()
@click.argument("blocks", nargs=-1)
@click.option("--days", default=60, show_default=True, help="How many days back.")
@click.option("--as-of", help="Farm-local moment like 2026-07-14T06:00: what was known of faults then; now if absent.")
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
@click.pass_obj
@complains
def faults(settings: Settings, blocks: tuple[str, ...], days: int, as_of: str | None, as_json: bool) -> None:
    """Print what is not believed: faults by sensor with times, class and reason, for all BLOCKS or those named."""
    from embalse.services.setup.fault_review import faults_content

    opened(settings)
    content = faults_content(list(blocks) or None, days, as_of)
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
