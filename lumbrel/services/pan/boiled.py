"""At what temperature it was drawn: what a cold reading holds the boiling curve against later."""

from datetime import timedelta
from math import hypot

from lumbrel.core.bench.thermometer import typed_sigma_k
from lumbrel.core.physics import sucrose
from lumbrel.services.base.corrected import Corrected
from lumbrel.services.base.facts import BoilFacts, ThermometerFacts
from lumbrel.services.day.pressure import pressure_by
from lumbrel.services.day.thermometers import DEFAULT_BOIL_BY, thermometer_today
from lumbrel.services.pan.board import Board
from lumbrel.services.pan.suspect import WILD_WEIGHT
from lumbrel.store.instruments import ThermometerDetail, with_detail

STILL_TELLS = timedelta(minutes=5)
PROBE_SIGMA_K = 0.06
FOLLOWED_SHARE = 0.1
"""Of what it rose since it was read, one sigma."""


def boil_at(board: Board) -> BoilFacts | None:
    """The boil at this moment by the thermometer that showed it last; None when none did of late, or
    while the heat is off."""
    context, seen = board.context, board.evidence
    boil_by = context.batch.methods.get("boil_by", DEFAULT_BOIL_BY)
    pressure = pressure_by(context.db, context.kitchen, context.now, boil_by)
    reading = _newest(board)
    glass = with_detail(reading.instrument, ThermometerDetail) if reading else None
    if reading is None or glass is None or pressure is None or seen.heat_is_off:
        return None
    assert reading.shown_c is not None
    today = thermometer_today(context.db, glass, pressure, reading.at, boil_by)
    invert, fitted = context.invert_fraction, seen.fitted
    then, now = (fitted.brix_at(max(seen.minute(at), 0.0)) for at in (reading.at, context.now))
    before, after = (
        sucrose.boiling_point_c(min(brix, sucrose.MAX_BOIL_BRIX), pressure.pa, invert) for brix in (then, now)
    )
    live = reading.facts is None
    own = PROBE_SIGMA_K if live else typed_sigma_k(glass.detail.sort, glass.detail.resolution_k)
    true = today.calibration.true_c(reading.shown_c)
    return BoilFacts(
        rise_k=true - pressure.boil_c + after - before,
        rise_sigma_k=hypot(today.sigma_k, own, FOLLOWED_SHARE * (after - before)),
        pressure_pa=pressure.pa,
        carry_over_fraction=context.vessel.carry_over_fraction,
    )


def _newest(board: Board) -> Corrected | None:
    seen, now = board.evidence, board.context.now
    if seen.probe_reading is not None and seen.probe_reading.shown_c is not None:
        return seen.probe_reading
    typed = [
        r
        for r in seen.readings
        if r.kind == ThermometerFacts.key()
        and r.shown_c is not None
        and now - r.at <= STILL_TELLS
        and seen.weights.get(r.entry_id, 1.0) > WILD_WEIGHT
    ]
    return typed[-1] if typed else None
