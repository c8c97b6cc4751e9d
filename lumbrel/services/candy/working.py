"""Where a cook's figures come from, step by step."""

from math import isfinite

from lumbrel.services.base.codes import called
from lumbrel.services.candy.pot import CookBoard
from lumbrel.words import _, number, share

Steps = list[tuple[str, float | str, str, str]]
"""A label, a value in an inside unit or in words, its kind, and its source."""


def steps_of(board: CookBoard) -> Steps:
    """How the mark, the minutes and the stirring of a cook came about."""
    cook, pressure = board.cook, board.pressure
    found: Steps = []
    if pressure is not None:
        found.append((_("water boils here at"), pressure.boil_c, "temperature", called(pressure.basis)))
    found.append((_("boil above water"), cook.above_water_k, "difference", _("as it was planned")))
    if board.glass is not None:
        shift = board.shown_c(board.mark_c) - board.mark_c
        found.append(
            (
                _("{instrument} shows too much by", instrument=board.glass.instrument.name),
                shift,
                "difference",
                _("its test boils"),
            )
        )
    found.append((_("solids in the pot"), board.solids_kg, "mass", _("mass and Brix of the syrup")))
    seen, cooling = board.boiling, board.cooling
    if seen is not None:
        found += _of_the_boil(board)
    if cooling is not None and cooling.fit is not None:
        by = _(
            "{count} readings, {learned_from} earlier cooks",
            count=len(cooling.shown),
            learned_from=cooling.learned_from,
        )
        film = _("{film} W/m²K", film=number(cooling.fit.film[0], 0))
        found.append((_("its wall gives away"), film, "", by))
        if cooling.stands.warms:
            found.append((_("its bath holds about"), cooling.fit.litres[0], "volume", cooling.bath.name))
    if board.turn is not None:
        taught = (
            _("{learned_from} earlier cooks", learned_from=board.turn.learned_from)
            if board.turn.learned_from
            else _("the trade")
        )
        found.append(
            (_("it turns after"), _("{minutes} min", minutes=number(board.turn.minutes, 1)), "", taught)
        )
    return found


def _of_the_boil(board: CookBoard) -> Steps:
    seen = board.boiling
    assert seen is not None
    found: Steps = []
    if seen.fit is not None:
        rate = seen.fit.rate_share * board.solids_kg
        found.append(
            (_("boils off a minute"), rate, "mass", _("{count} readings and its past", count=len(seen.shown)))
        )
    known = board.brix_now
    if known is not None:
        said = _("{known} ± {known_2} Brix", known=number(known[0], 1), known_2=number(known[1], 1))
        found.append((_("solids by its boil"), said, "", _("the boiling curve of strong syrup")))
    if isfinite(seen.left.minutes):
        said = _("{minutes} min", minutes=number(seen.minutes, 1))
        found.append((_("until the mark"), said, "", _("water and warmth left until the mark, at this fire")))
    loss = share(board.cook.loss, 1)
    found.append((_("stays in this pot"), loss, "", _("its earlier cooks, 4 % at first")))
    return found
