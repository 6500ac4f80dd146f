"""The audit of sets on the command line."""

import click

from embalse.cli.common import complains, opened
from embalse.config import Settings
from embalse.core.wording import Notice
from embalse.services.audit.audit_table import audit_csv
from embalse.services.audit.block_audit import AUDITED_DAYS, SetAuditOut, audit_content
from embalse.services.audit.farm_audit import farm_audit
from embalse.services.reader import say


@click.command("audit")
@click.argument("block", required=False)
@click.option("--days", type=click.IntRange(1, 400), default=AUDITED_DAYS, show_default=True, help="Days back.")
@click.option("--as-of", help="Farm-local moment like 2026-07-14T06:00; now if absent.")
@click.option("--json", "how", flag_value="json", help="Print everything as JSON.")
@click.option("--csv", "how", flag_value="csv", help="Print the sets of all blocks as CSV.")
@click.pass_obj
@complains
def audit_command(settings: Settings, block: str | None, days: int, as_of: str | None, how: str | None) -> None:
    """Say where the water of BLOCK's sets went, newest first, and what the next dose should be.

    Without BLOCK the sets of all blocks are told.
    """
    opened(settings)
    if how == "csv":
        click.echo(audit_csv(as_of, days), nl=False)
    elif block is None:
        _farm(as_of, days, how == "json")
    else:
        _block(block, as_of, days, how == "json")


def _farm(as_of: str | None, days: int, as_json: bool) -> None:
    content = farm_audit(as_of, days)
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    for one in content.sets:
        click.echo(f"{one.name:<12} {_line(one)}")
    for told in content.follow_ups:
        click.echo(f"{told.name}: {told.words}")


def _block(block: str, as_of: str | None, days: int, as_json: bool) -> None:
    content = audit_content(block, as_of, days)
    if as_json:
        click.echo(content.model_dump_json(indent=2))
        return
    for one in content.sets:
        click.echo(_line(one))
    if not content.sets:
        click.echo(content.headline)
    said = [*content.dose.why, content.received_words, *(cause.words for cause in content.causes)]
    click.echo("\n".join(said))


def _line(one: SetAuditOut) -> str:
    gained = ""
    if one.gained_mm is not None and one.expected_mm is not None:
        gained = say(Notice("cli.gained", of_mm=one.expected_mm, mm=one.gained_mm))
    return f"{one.start}  {one.ran_h:5.1f} h  {one.verdict:<20} {gained}  {one.why}".rstrip()
