"""The command line: ``embalse --help``."""

import importlib
from typing import Final

import click

from embalse import __version__
from embalse.config import SETTING_HELP, settings_from

SETTINGS_TEXT = "\n".join(f"  EMBALSE_{name.upper():<10} {text}" for name, text in SETTING_HELP.items())
COMMANDS: Final[dict[str, tuple[str, str]]] = {
    "advise": ("advising:advise", "Print the Round: when to irrigate, how much, for how long."),
    "apply": ("farm:apply", "Create or update the farm from a JSON document."),
    "audit": ("auditing:audit_command", "Say where the water of a block's sets went."),
    "season": ("seasons:season_command", "Add up the water of a block's season."),
    "water-used": ("seasons:water_used_command", "Account for the water used between two days."),
    "zones": ("spatial:zones_command", "Part a block into zones, and say what to give where."),
    "nodes": ("spatial:nodes_command", "List the nodes of a block, or add them from a file."),
    "map": ("spatial:map_command", "Map a block between its stations."),
    "closing": ("seasons:closing_command", "Tell how closing each season stands."),
    "plantings": ("seasons:plantings_command", "List what was planted where and when."),
    "backup": ("keeping:backup", "Copy the database; readers and writers go on."),
    "calibrate": ("calibrating:calibrate_command", "Fit a calibration to weighed samples in a CSV file."),
    "changes": ("people:changes", "Print who changed what and when, newest first."),
    "check": ("keeping:check", "Check the database, or a copy of it."),
    "demo": ("serving:demo_command", "Make the demonstration farm, if it is not there yet."),
    "export": ("farm:export", "Write the whole farm but its readings as a farm document."),
    "ground": ("farm:ground", "Bring in soil analyses of a table, or blocks of GeoJSON."),
    "faults": ("advising:faults", "Print the readings that are not believed, and why."),
    "gateway": ("devices:gateway", "Devices that send readings automatically, and their tokens."),
    "import": ("importing:import_command", "Read a logger FILE: all of it or nothing."),
    "init": ("farm:init", "Make an empty database, or bring an older one up to date."),
    "ledger": ("profiling:ledger_command", "Print the demand of a block day by day as JSON."),
    "marks": ("marking:marks_command", "Say what every estimator makes of a block's marks."),
    "plan": ("planning:plan_command", "Lay the advised sets on the farm's supplies."),
    "person": ("people:person", "People who sign in: who there is, invitations, forgotten passwords."),
    "restore": ("keeping:restore", "Make the database what a copy is; what was there is kept."),
    "serve": ("serving:serve", "Serve the application to browsers."),
    "skill": ("profiling:skill_command", "Print a block's past refill dates and what came of them."),
    "sets": ("planning:sets_command", "Last night's sets as they ran, and tonight's."),
    "standin": ("devices:standin", "Simulated devices that speak to Embalse as real ones would."),
    "undo-import": ("importing:undo_command", "Take out the readings that an import of a file stored."),
    "weather": ("weather:weather", "Daily weather of the farm."),
    "wettings": ("profiling:wettings_command", "Say how far every wetting of a block went, and what from."),
}
"""Where each command is, loaded only when it is asked for, and what the list of commands says of it."""
HIDDEN: Final = {"schemas": "farm:schemas"}


class Commands(click.Group):
    """Commands loaded when they are asked for: a command starts in a fraction of the time all of them take."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Names of the commands that are shown."""
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """The command of a name, loaded now; None where there is none."""
        place = COMMANDS[cmd_name][0] if cmd_name in COMMANDS else HIDDEN.get(cmd_name)
        if place is None:
            return None
        module, name = place.split(":")
        found: click.Command = getattr(importlib.import_module(f"embalse.cli.{module}"), name)
        return found

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """The list of commands, without loading any."""
        with formatter.section("Commands"):
            formatter.write_dl([(name, said) for name, (_, said) in COMMANDS.items()])


@click.group(cls=Commands, epilog=f"\b\nSettings, by environment variable:\n{SETTINGS_TEXT}")
@click.version_option(__version__)
@click.pass_context
def main(context: click.Context) -> None:
    """Irrigation advice from soil moisture probes: when, how much, for how long."""
    from embalse.cli.common import complains
    from embalse.store.changes import Actor, act_as

    context.obj = complains(settings_from)()
    act_as(Actor("command line"))
