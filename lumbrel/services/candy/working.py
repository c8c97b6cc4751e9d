"""Where a cook's figures come from, step by step."""

from math import isfinite

from lumbrel.services.candy.pot import CookBoard

Steps = list[tuple[str, float | str, str, str]]
"""A label, a value in an inside unit or in words, its kind, and its source."""


def steps_of(board: CookBoard) -> Steps:
    """How the mark, the minutes and the stirring of a cook came about."""
    cook, pressure = board.cook, board.pressure
    found: Steps = []
    if pressure is not None:
        found.append(("water boils here at", pressure.boil_c, "temperature", pressure.basis))
    found.append(("boil above water", cook.above_water_k, "difference", "as it was planned"))
    if board.glass is not None:
        shift = board.shown_c(board.mark_c) - board.mark_c
        found.append(
            (
                f"{board.glass.instrument.name} shows too much by",
                shift,
                "difference",
                "its test boils",
            )
        )
    found.append(("solids in the pot", board.solids_kg, "mass", "mass and Brix of the syrup"))
    seen, cooling = board.boiling, board.cooling
    if seen is not None:
        found += _of_the_boil(board)
    if cooling is not None and cooling.fit is not None:
        by = f"{len(cooling.shown)} readings, {cooling.learned_from} earlier cooks"
        over = board.context.show(60.0, "difference", 0)
        rate = f"{100 * cooling.fit.rate_per_min:.1f} % a minute at {over} over it"
        found.append(("it loses of its warmth", rate, "", by))
        found.append(
            (
                "and comes to about",
                float(cooling.fit.parameters[2]),
                "temperature",
                cooling.bath.name,
            )
        )
    if board.turn is not None:
        taught = (
            f"{board.turn.learned_from} earlier cooks" if board.turn.learned_from else "the trade"
        )
        found.append(("it turns after", f"{board.turn.minutes:.1f} min", "", taught))
    return found


def _of_the_boil(board: CookBoard) -> Steps:
    seen = board.boiling
    assert seen is not None
    found: Steps = []
    if seen.fit is not None:
        rate = seen.fit.rate_share * board.solids_kg
        found.append(
            ("boils off a minute", rate, "mass", f"{len(seen.shown)} readings and its past")
        )
    known = board.brix_now
    if known is not None:
        said = f"{known[0]:.1f} ± {known[1]:.1f} Brix"
        found.append(("solids by its boil", said, "", "the boiling curve of strong syrup"))
    if isfinite(seen.left.minutes):
        said = f"{seen.minutes:.1f} min"
        found.append(
            ("until the mark", said, "", "water and warmth left until the mark, at this fire")
        )
    loss = f"{100 * board.cook.loss:.1f} %"
    found.append(("stays in this pot", loss, "", "its earlier cooks, 4 % at first"))
    return found
