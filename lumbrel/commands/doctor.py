"""What is wrong with a kitchen's machine, and what to do."""

import argparse
from datetime import UTC, datetime

from lumbrel.commands.serving import RECORD
from lumbrel.words import _


def doctor(arguments: argparse.Namespace) -> int:
    """Look at all of it; 1 where something is wrong."""
    from lumbrel.services.kitchen.health import Machine

    data = arguments.data.resolve()
    machine = Machine(data=data, record=data / RECORD, port=arguments.port, now=datetime.now(UTC))
    wrong = 0
    for what, said in machine.findings():
        wrong += bool(said)
        print(f"{'!!' if said else 'ok'}  {what}{': ' if said else ''}{said}", flush=True)
    print(_("All is well.") if not wrong else _("See what is marked with !!."))
    return 1 if wrong else 0
