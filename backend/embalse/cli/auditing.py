"""The audit of sets on the command line."""

import click

from embalse.cli.common import complains, opened
from embalse.config import Settings
from embalse.core.wording import Notice
from embalse.services.audit.block_audit import AUDITED_DAYS, audit_content
from embalse.services.reader import say


@click.command("audit")
@click.argument("block")
@click.option("--days", type=click.IntRange(1, 400), default=AUDITED_DAYS, show_default=True, help="Days back.")
@click.option("--as-of", help="Farm-local moment like 2026-07-14T06:00; now if absent.")
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
@click.pass_obj
@complains
def audit_command(settings: Settings, block: str, days: int, as_of: str | None, as_json: bool) -> None:
    """Say where the water of BLOCK's sets went, newest first: expected, gained, below the roots, and a verdict."""
    opened(settings)
    content = audit_content(block, as_of, days)
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    for one in content.sets:
        gained = "" if one.gained_mm is None else say(Notice("cli.gained", of_mm=one.expected_mm, mm=one.gained_mm))
        click.echo(f"{one.start}  {one.ran_h:5.1f} h  {one.verdict:<20} {gained}  {one.why}".rstrip())
    if not content.sets:
        click.echo("No set on record in these days.")
