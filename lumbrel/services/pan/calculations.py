"""Mass balance, the minute of the finish, and depths."""

from math import isfinite
from typing import Annotated, Literal

from pydantic import Field

from lumbrel.core.errors import OutOfRange
from lumbrel.core.jar.hot_pack import mass_kg as mass_of_litres
from lumbrel.core.pan import fit, solids
from lumbrel.core.pan.vessel import Vessel
from lumbrel.services.base.calculation import ICUMSA_DENSITY, MASS_BALANCE, Answer, Request, calculation, step
from lumbrel.words import _


class MassBalanceAnswer(Answer):
    """Water to drive off; negative is water to put back."""

    final_mass_kg: float
    water_to_remove_kg: float
    final_volume_l: float


@calculation("mass-balance")
def mass_balance(*, mass_kg: float, brix: float, target_brix: float = 66.9) -> MassBalanceAnswer:
    """Finished mass and volume, and the water between.

    What is in the vessel and what it should become.
    """
    final = solids.mass_at(mass_kg, brix, target_brix)
    litre = mass_of_litres(target_brix, 1.0)
    working = [
        step("solids", mass_kg * brix / 100, "kg", MASS_BALANCE),
        step(_("mass at the target"), final, "kg", _("solids / target")),
        step(_("water to drive off"), mass_kg - final, "kg", "difference"),
        step(_("density at the target, 20 °C"), litre * 1000, "kg/m³", ICUMSA_DENSITY),
        step(_("volume at 20 °C"), final / litre, "L"),
    ]
    return MassBalanceAnswer(
        final_mass_kg=final, water_to_remove_kg=mass_kg - final, final_volume_l=final / litre, working=working
    )


class TimedReading(Request):
    """A corrected reading at a minute."""

    minute: float
    brix: float
    uncertainty_brix: float = 0.5


class BoilEvent(Request):
    """Something added or drawn at a minute."""

    minute: float
    kind: Literal["addition", "draw"]
    mass_kg: Annotated[float, Field(gt=0)]
    brix: float

    def as_step(self) -> solids.MassStep:
        """A draw takes away."""
        return solids.MassStep(
            self.minute, self.mass_kg if self.kind == "addition" else -self.mass_kg, self.brix
        )


class FinishTimeAnswer(Answer):
    """Minutes from the last reading (or now_minute) to the target, with the 90 % range.

    `target_minute` is the same moment on the readings' clock. `high` is null when the
    readings cannot yet tell the rate from nothing.
    """

    minutes_to_target: float
    low: float
    high: float | None
    rate_kg_per_min: float
    next_check_minutes: float
    target_minute: float


PRIOR_RATE_RELATIVE_SIGMA = 0.15


def _past(rate: float | None) -> tuple[float, float] | None:
    """A rate of the past, with its doubt."""
    if rate is not None and not 0 < rate <= 1000:
        raise OutOfRange(
            _("The past rate must be above 0 and at most 1000 kg per minute."), "prior_rate_kg_per_min"
        )
    return None if rate is None else (rate, PRIOR_RATE_RELATIVE_SIGMA * rate)


@calculation("finish-time")
def finish_time(
    *,
    mass_kg: float,
    brix: float,
    target_brix: float = 66.9,
    readings: Annotated[tuple[TimedReading, ...], Field(max_length=5000)] = (),
    prior_rate_kg_per_min: float | None = None,
    events: Annotated[tuple[BoilEvent, ...], Field(max_length=500)] = (),
    brix_uncertainty: float = 0.3,
    now_minute: Annotated[
        float | None, Field(description="From when the minutes count; the last reading if left out")
    ] = None,
) -> FinishTimeAnswer:
    """When the target is reached, from the mass balance fitted to the readings.

    Take-in at minute 0 and what was read since.
    """
    fitted = fit.fit(
        mass_kg,
        brix,
        readings=[fit.DensityReading(r.minute, r.brix, r.uncertainty_brix) for r in readings],
        steps=[e.as_step() for e in events],
        prior_rate_kg_per_min=_past(prior_rate_kg_per_min),
        brix_sigma=brix_uncertainty,
    )
    solids.mass_at(mass_kg, brix, target_brix)
    minute = fitted.minute_of(target_brix)
    if not isfinite(minute):
        never = _("By these readings nothing is boiling off, so the target is never reached.")
        raise OutOfRange(never, "readings")
    last = max((r.minute for r in readings), default=0.0)
    now = last if now_minute is None else now_minute
    low, high = fitted.band_of(target_brix)
    left = minute - now
    working = [
        step(_("fitted mass at minute 0"), fitted.mass0_kg, "kg", _("weighted least squares")),
        step(_("fitted rate"), fitted.rate_kg_per_min, "kg/min", _("weighted least squares")),
        step(_("mass at the target"), 100 * fitted.solids_kg[-1] / target_brix, "kg", MASS_BALANCE),
        step(_("target on the readings' clock"), minute, "min"),
        step(_("minutes counted from"), now, "min"),
    ]
    return FinishTimeAnswer(
        minutes_to_target=max(left, 0.0),
        low=max(low - now, 0.0),
        high=max(high - now, 0.0) if isfinite(high) else None,
        rate_kg_per_min=fitted.rate_kg_per_min,
        next_check_minutes=fit.next_check_minutes(low - now),
        target_minute=minute,
        working=working,
    )


class DepthRequest(Request):
    """A vessel by its inner sizes, and either a volume or a depth."""

    shape: Literal["rectangular", "round", "tapered"]
    length_mm: float | None = None
    width_mm: float | None = None
    diameter_mm: float | None = None
    bottom_diameter_mm: float | None = None
    top_diameter_mm: float | None = None
    height_mm: float | None = None
    volume_l: float | None = None
    depth_mm: float | None = None


class DepthAnswer(Answer):
    """Volume and depth that belong together."""

    volume_l: float
    depth_mm: float


_SIZES = {
    "rectangular": ("length_mm", "width_mm"),
    "round": ("diameter_mm",),
    "tapered": ("bottom_diameter_mm", "top_diameter_mm", "height_mm"),
}


@calculation("vessel/depth")
def vessel_depth(request: DepthRequest) -> DepthAnswer:
    """Depth of a volume, or volume at a depth."""
    sizes: list[float] = []
    for name in _SIZES[request.shape]:
        size = getattr(request, name)
        if size is None:
            raise OutOfRange(_("A {shape} vessel needs {name}.", shape=request.shape, name=name), name)
        sizes.append(size)
    vessel = Vessel(request.shape, tuple(sizes))
    if (request.volume_l is None) == (request.depth_mm is None):
        raise OutOfRange(_("Give either volume_l or depth_mm."), "volume_l")
    if request.volume_l is not None:
        volume, depth = request.volume_l, vessel.depth_mm(request.volume_l)
    else:
        depth = request.depth_mm or 0.0
        volume = vessel.volume_l(depth)
    working = [
        step(_("heated bottom"), vessel.bottom_area_m2(), "m²", request.shape),
        step("volume", volume, "L"),
        step("depth", depth, "mm"),
    ]
    return DepthAnswer(volume_l=volume, depth_mm=depth, working=working)
