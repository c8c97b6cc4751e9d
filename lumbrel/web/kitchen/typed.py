"""What is registered, as it would be typed into its form."""

import re

from lumbrel.services.bench.places import place_of
from lumbrel.services.kitchen.register import SHAPES
from lumbrel.store.instruments import (
    BarometerDetail,
    Detail,
    HydrometerDetail,
    Instrument,
    ReferenceDetail,
    RefractometerDetail,
    ScaleDetail,
    ThermometerDetail,
    VialDetail,
)
from lumbrel.store.kitchen import VesselRow
from lumbrel.web.shell.display import Display

FINE = 3
"""Decimals of a size or a scale in its form."""


def _fine(show: Display, value: float | None, kind: str) -> str:
    """A figure as fine as it was registered, without zeros that say nothing."""
    return re.sub(r"\.?0+(?=\D*$)", "", text) if "." in (text := show.typed(value, kind, FINE)) else text


def of_vessel(vessel: VesselRow, show: Display) -> dict[str, str]:
    """A vessel's fields."""
    fields = {"name": vessel.name, "shape": vessel.shape, "fire": vessel.fire}
    if vessel.shape == "measured":
        pairs = zip(vessel.sizes_mm[::2], vessel.sizes_mm[1::2], strict=True)
        measures = (f"{_fine(show, mm, 'depth')} = {_fine(show, litres, 'volume')}" for mm, litres in pairs)
        return fields | {"measures": ", ".join(measures)}
    named = zip(SHAPES[vessel.shape], vessel.sizes_mm, strict=True)
    return fields | {name: _fine(show, size, "depth") for name, size in named}


def of_instrument(instrument: Instrument[Detail], show: Display) -> dict[str, str]:
    """An instrument's fields."""
    detail = instrument.detail
    fields = {"name": instrument.name, "calibrated_on": detail.calibrated_on}
    if isinstance(detail, ThermometerDetail):
        fields |= {"sort": detail.sort, "stands_in": place_of(instrument)}
        fields["resolution"] = _fine(show, detail.resolution_k or None, "difference")
        fields["immersion"] = _fine(show, detail.immersion_mm, "depth")
    elif isinstance(detail, HydrometerDetail):
        fields |= _of_stem(detail, show)
    elif isinstance(detail, RefractometerDetail):
        fields |= _scale(detail.range_low_brix, detail.range_high_brix)
        fields["compensated"] = "1" if detail.compensated else ""
    elif isinstance(detail, BarometerDetail):
        fields["shows"] = detail.shows
    elif isinstance(detail, ScaleDetail):
        fields["stands_in"] = place_of(instrument)
    elif isinstance(detail, VialDetail | ReferenceDetail):
        fields["path"] = show.light_path(detail.path_mm)
        if isinstance(detail, ReferenceDetail):
            fields["made_of"] = detail.made_of
    return fields


def _scale(low: float, high: float) -> dict[str, str]:
    return {"low": f"{low:g}", "high": f"{high:g}"}


def _of_stem(detail: HydrometerDetail, show: Display) -> dict[str, str]:
    fields = _scale(detail.scale_low_brix, detail.scale_high_brix)
    fields |= {"glass": detail.glass, "baume": "1" if detail.baume else ""}
    fields["true_at"] = _fine(show, detail.calibration_temperature_c, "temperature")
    if detail.hot_mark:
        fields["mark_reading"] = f"{detail.hot_mark.reading_brix:g}"
        fields["mark_at"] = _fine(show, detail.hot_mark.temperature_c, "temperature")
        fields["mark_true"] = f"{detail.hot_mark.true_brix:g}"
    return fields
