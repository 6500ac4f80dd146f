"""``python -m embalse``: the command line without an installed script."""

from embalse.cli import main

main()
