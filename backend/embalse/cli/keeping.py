"""Copies, checks, putting a copy back."""

import sys
from pathlib import Path

import click

from embalse.cli.common import complains, migrated
from embalse.config import Settings
from embalse.services.admin.backup import backup_now, copy_name
from embalse.store import keeping


@click.command()
@click.argument("target", required=False, type=click.Path(dir_okay=False, path_type=Path))
@click.pass_obj
@complains
def backup(settings: Settings, target: Path | None) -> None:
    """Copy the database to TARGET, or into the backup folder; readers and writers go on meanwhile."""
    if target is not None:
        made = keeping.backup(settings.database, target)
    else:
        made = backup_now(settings.database, settings.backups, settings.backups_kept)
    click.echo(f"Copied to {made}")


@click.command()
@click.argument("file", required=False, type=click.Path(path_type=Path))
@click.pass_obj
@complains
def check(settings: Settings, file: Path | None) -> None:
    """Check the database, or a copy of it: integrity, rows that point nowhere, imports left open."""
    report = keeping.check(file or settings.database)
    rows = ", ".join(f"{count} {name}" for name, count in report.rows.items() if count)
    click.echo(f"Schema {report.version}; {rows or 'empty'}.")
    for trouble in report.troubles:
        click.echo(trouble, err=True)
    click.echo("Nothing wrong." if not report.troubles else f"{len(report.troubles)} wrong.")
    sys.exit(1 if report.troubles else 0)


@click.command()
@click.argument("copy", type=click.Path(path_type=Path))
@click.pass_obj
@complains
def restore(settings: Settings, copy: Path) -> None:
    """Make the database what COPY is; what was there is kept as a copy of its own."""
    aside = copy_name(settings.backups)
    keeping.restore(copy, settings.database, aside)
    migrated(settings)
    click.echo(f"Restored from {copy}." + (f" What was there is {aside}." if aside.exists() else ""))
