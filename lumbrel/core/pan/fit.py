"""When will it be done: the mass balance fitted to every reading so far.

At steady heat the mass falls linearly, m(t) = m0 - r t, and the solids stay, so solids / Brix
is a straight line in time while Brix and temperature run away at the end. m0 and r are fitted
by weighted least squares; readings of one instrument may share an error (a thermometer's
offset), which is fitted along with them and held near zero by its own sigma. Where the burner
was changed the line bends: each stretch has a rate of its own. And no burner is quite steady:
where temperatures show the path closely it may stray from the straight line by what a burner
wanders, and ahead of the last reading it goes on at the mean rate.

Boiling temperatures enter as temperatures, through the boiling curve linearised along the path:
turned into Brix one by one they would be lopsided where the curve is flat.
"""

from collections.abc import Sequence

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.pan.fitted_boil import BoilFit, DensityReading, HeatReading, Step

NEXT_CHECK_MINUTES = (2.0, 30.0)
TAKE_IN_SIGMA_BRIX = 0.3
"""One sigma of the Brix that is taken in."""


def fit(
    mass_kg: float,
    brix: float,
    readings: Sequence[DensityReading],
    steps: Sequence[Step] = (),
    prior_rate_kg_per_min: tuple[float, float] | None = None,
    brix_sigma: float = TAKE_IN_SIGMA_BRIX,
    heat: Sequence[HeatReading] = (),
    changes: Sequence[float] = (),
) -> BoilFit:
    """Fit the boil's mass balance to the take-in, the readings and the vessel's past.

    Args:
        mass_kg: taken in, above 0.
        brix: of what was taken in, 0.1 to 97.
        readings: corrected, after the boil-off began.
        steps: additions and draws so far, with their density.
        prior_rate_kg_per_min: the vessel's learned rate and its sigma.
        brix_sigma: one sigma of the take-in Brix.
        heat: boiling temperatures.
        changes: minutes at which the burner was changed; each stretch gets its own rate.
    Raises:
        OutOfRange: a value lies outside its range, or there is nothing to tell the rate from.
    Source: linear least squares (Gauss and Newton for the temperatures); solids conserved.
    """
    if not 0 < mass_kg <= 100_000:
        raise OutOfRange("The mass must be above 0 and at most 100 000 kg.", "mass_kg")
    require_between(brix, 0.1, 97.0, field="brix", what="Brix", unit="percent by mass")
    for reading in readings:
        _require_plausible(reading)
    if prior_rate_kg_per_min is None and not any(r.minute > 0 for r in readings):
        raise OutOfRange(
            "Give at least one reading after minute 0, or the vessel's past rate "
            "(prior_rate_kg_per_min): without either nothing says how fast it boils off.",
            "readings",
        )
    # NumPy takes longer to come than most calculations do: it comes when it is wanted.
    from lumbrel.core.pan.least_squares import MassBalance

    ordered = tuple(sorted(steps, key=lambda step: step.minute))
    solids = _solids(mass_kg * brix / 100, ordered)
    balance = MassBalance(
        mass_kg=mass_kg,
        mass_sigma_kg=mass_kg * brix_sigma / brix,
        steps=ordered,
        solids_kg=solids,
        prior_rate_kg_per_min=prior_rate_kg_per_min,
        changes=sorted(c for c in changes if c > 0),
        readings=readings,
        heat=heat,
    )
    found = balance.settle()
    return BoilFit(
        stretches=balance.stretches(found),
        solids_kg=tuple(solids),
        steps=ordered,
        shared=tuple(zip(balance.shared, found.best[balance.linear :].tolist(), strict=True)),
        changed_at=balance.starts[1:],
        followed_to=balance.knots[-1] if balance.knots else 0.0,
    )


def _require_plausible(reading: DensityReading) -> None:
    field = "readings"
    require_between(
        reading.brix, 0.1, 97.0, field=field, what="A reading's Brix", unit="percent by mass"
    )
    require_between(
        reading.minute, 0.0, 100_000, field=field, what="A reading's minute", unit="min"
    )
    if not 0 < reading.sigma_brix <= 50:
        raise OutOfRange("A reading's uncertainty must be above 0 and at most 50 Brix.", field)


def _solids(taken_in_kg: float, steps: Sequence[Step]) -> list[float]:
    """The solids in the vessel at first and after each step, kg."""
    solids = [taken_in_kg]
    for step in steps:
        solids.append(solids[-1] + step.mass_kg * step.brix / 100)
        if solids[-1] <= 0:
            raise OutOfRange("More was drawn than was ever in the vessel.", "events")
    return solids


def next_check_minutes(minutes_to_target: float) -> float:
    """Minutes until the next look: when half of the remaining water is gone, 2 to 30.

    Args:
        minutes_to_target: minutes left on the fitted path; below 0 counts as 0.
    """
    shortest, longest = NEXT_CHECK_MINUTES
    return min(max(minutes_to_target / 2, shortest), longest)
