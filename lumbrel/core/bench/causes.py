"""Why instruments disagree: the likely cause, the most plausible first, and what settles it."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Circumstances:
    """How a reading was taken, as far as it can explain an error."""

    kind: str
    """"thermometer", "hydrometer" or "refractometer"."""
    too_high: bool
    """Whether it stands above what the others say."""
    cup_assumed: bool = False
    test_boil_stale: bool = False
    untested: bool = False
    hot_drop: bool = False
    compensated: bool = False


@dataclass(frozen=True)
class Cause:
    """A sentence for what is likely wrong, and one for what would settle it."""

    cause: str
    settle: str


def likely_cause(of: Circumstances) -> Cause:
    """The most plausible explanation of an odd reading.

    In this order: cup temperature assumed; test boil missing or stale; a drop that dried; the
    compensation switch; the line misread.

    Args:
        of: how the odd reading was taken.
    """
    if of.kind == "hydrometer":
        if of.cup_assumed:
            return Cause(
                "the cup's temperature was assumed, not measured",
                "Read the hydrometer again with a thermometer in the cup.",
            )
        cooled = "cooled after its temperature was read" if of.too_high else "was hotter than typed"
        return Cause(
            f"the cup {cooled}, or the line was misread",
            "Read stem and cup temperature together, at eye level.",
        )
    if of.kind == "thermometer":
        if of.untested:
            return Cause(
                "this thermometer has had no test boil", "Put it in rapidly boiling water now."
            )
        if of.test_boil_stale:
            return Cause(
                "its test boil is old, or the pressure has moved since",
                "Put it in rapidly boiling water again.",
            )
        where = "touches the hot metal" if of.too_high else "is not deep enough in the boil"
        return Cause(f"the tip {where}", "Hang it freely in the middle of the boil.")
    if of.hot_drop and of.too_high:
        return Cause(
            "the hot drop dried on the prism and reads high",
            "Cool a covered sample to room temperature and read that.",
        )
    state = "on" if of.compensated else "off"
    return Cause(
        f"compensation was noted as {state}; if that is wrong it is out by the correction",
        "Read a drop of water: it must show 0 at its temperature.",
    )
