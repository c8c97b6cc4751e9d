"""Listening to a probe."""

import argparse

from lumbrel.commands.say import log_to, refuse
from lumbrel.commands.serving import RECORD
from lumbrel.words import _


def listen(arguments: argparse.Namespace) -> int:
    """Take a probe's readings from its wire until interrupted."""
    import threading

    from lumbrel import listen as listening
    from lumbrel.devices.wires import chosen
    from lumbrel.services.kitchen.safekeeping import keep_before
    from lumbrel.services.record.kept import ready
    from lumbrel.store.db import opened
    from lumbrel.store.instruments import ThermometerDetail, instruments_of
    from lumbrel.store.safe import held

    try:
        source = chosen(arguments)
    except ValueError as error:
        return refuse(error)
    record = arguments.data / RECORD
    if not record.exists():
        return refuse(_("there is no record in {data}", data=arguments.data))
    with held(record, alone=False):
        log_to(arguments.data, arguments.log_level)
        keep_before(record)
        with opened(record) as db:
            ready(db)
            known = instruments_of(db, ThermometerDetail)
        probe = next((i for i in known if arguments.probe in (i.id, i.name)), None)
        if probe is None:
            names = ", ".join(i.name for i in known) or _("none yet")
            return refuse(_("no such thermometer; registered: {names}", names=names))
        try:
            listening.listen(record, probe.id, source, threading.Event())
        except KeyboardInterrupt:
            print(_("Stopped listening."))
    return 0
