"""What every command shares: refusals as lines, and the database opened."""

import os
import sys
from collections.abc import Callable
from functools import wraps
from typing import Any

import click

from embalse.config import Settings
from embalse.core.errors import CoreError
from embalse.ingest.layout import FileRefused
from embalse.services.block_model.kept_fits import computing
from embalse.services.reader import read_in
from embalse.services.schema.refused import DocumentErrors
from embalse.store import farm as farm_store
from embalse.store.database import open_database, transaction
from embalse.store.errors import NotFound, StoreError


def complains(command: Callable[..., Any]) -> Callable[..., Any]:
    """Turn refusals into one line a fault on standard error and exit status 1."""

    @wraps(command)
    def wrapped(*args: Any, **kwargs: Any) -> Any:
        try:
            return command(*args, **kwargs)
        except DocumentErrors as refused:
            for error in refused.errors:
                click.echo(f"{error.path}: {error.reason}", err=True)
        except BrokenPipeError:  # whoever read our output has seen enough, as 'head' does
            os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
            sys.exit(0)
        except (StoreError, CoreError, FileRefused, ValueError, OSError) as refused:
            click.echo(str(refused), err=True)
        sys.exit(1)

    return wrapped


def opened(settings: Settings) -> None:
    """Open the farm's database; raises NotFound when there is none."""
    if not settings.database.exists():
        raise NotFound("database", "there is no farm here yet; run 'embalse init' or 'embalse demo' first")
    migrated(settings)
    click.get_current_context().with_resource(computing())
    farm = farm_store.farm()
    read_in("us" if farm is not None and farm.units == "us" else "metric")


def migrated(settings: Settings) -> None:
    """Open the database, made or brought up to date first; says when a copy was taken."""
    copy = open_database(settings.database)
    if copy:
        click.echo(f"The database was brought up to date; a copy from before is {copy.name}.", err=True)
        farm = farm_store.farm()
        if farm is not None:
            from embalse.services.readings import rollups

            with transaction():
                rollups.fill_hours(farm.time_zone)
