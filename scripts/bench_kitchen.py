"""How the pan's word holds in kitchens that differ from Lumbrel's own simulator: boils played through
`lumbrel replay`, with bounds."""

import argparse
import sys
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from tests.worlds.harsh import (  # noqa: E402
    CANDY,
    EQUIPMENT,
    FULL,
    PROBE_STEM,
    STEM,
    TARGET,
    Kitchen,
    Played,
)

BOILS, FIRST_SEED = 100, 70_000
BIRCH_SLACK = 0.5
"""Of each equipment; seeds that nothing was tuned to."""
Row = tuple[str, float, float, float]
"""What, measured, least and most allowed."""


def play(job: tuple[int, str, bool]) -> Played:
    """One boil."""
    return Kitchen(*job).play()


def played(boils: int, first: int, birch: bool = False) -> list[Played]:
    """So many boils of each equipment."""
    jobs = [(first + i, equipment, birch) for i in range(boils) for equipment in EQUIPMENT]
    with ProcessPoolExecutor(2) as pool:
        return list(pool.map(play, jobs, chunksize=4))


def _share(of: Sequence[Played], holds: Callable[[Played], bool]) -> float:
    return 100 * sum(map(holds, of)) / len(of) if of else float("nan")


def _covered(one: Played) -> bool:
    truth, said = one.third_truth, one.third
    assert truth is not None
    return said["low"] <= truth and (said["high"] is None or truth <= said["high"])


def _close(one: Played) -> bool:
    left = one.third["minutes_left"]
    return left is not None and _near(one, left)


def _near(one: Played, left: float) -> bool:
    truth = one.third_truth
    assert truth is not None
    return abs(left - truth) <= max(2.0, 0.15 * truth)


def _within(brix: float) -> Callable[[Played], bool]:
    return lambda one: (
        one.drawn_brix is not None
        and one.call in ("draw_now", "over")
        and abs(one.drawn_brix - TARGET) <= brix
    )


def _believed(one: Played) -> bool:
    said = one.said
    return bool(abs(said["brix"] - one.at_call) <= 1.96 * said["sigma_brix"])


def _kept(one: Played) -> bool:
    assert one.drawn_brix is not None
    return bool(abs(one.drawn_brix - TARGET) <= one.said["promise_brix"])


def rows(boils: list[Played], slack: float = 0.0) -> Iterator[Row]:
    """Every figure with its bounds; `slack` Brix more for birch."""
    by = {name: [b for b in boils if b.equipment == name] for name in EQUIPMENT}
    told = {n: [b for b in some if b.third_truth is not None] for n, some in by.items()}
    every = [b for some in told.values() for b in some]
    yield "90 % range holds the finish, all", _share(every, _covered), 85, 95
    for name, some in told.items():
        yield f"90 % range holds the finish, {name}", _share(some, _covered), 85, 95
    for name in (FULL, PROBE_STEM):
        steady = [b for b in told[name] if not b.changed_after_third]
        yield f"finish within 2 min or 15 %, {name}", _share(steady, _close), 85, 100
        known = _share(steady, lambda b: _near(b, b.third_known))
        yield f"as whoever knows all but the burner's future, {name} (no bound)", known, 0, 100
    honest = {name: [b for b in some if b.honest] for name, some in by.items()}
    for name, brix, least in (
        (FULL, 0.5, 92),
        (PROBE_STEM, 1.0, 95),
        (STEM, 1.0, 90),
        (CANDY, 2.5, 85),
    ):
        near = _share(honest[name], _within(brix + slack))
        yield f"draw within {brix + slack:g}, {name}", near, least, 100
    for name in EQUIPMENT:
        called = _share(by[name], lambda b: b.call == "draw_now")
        least = 95 if name == CANDY else 0
        yield f"'draw now' is said, {name}", called, least, 100
    called_done = [b for b in boils if b.said]
    promised = [b for b in called_done if b.said["promise_brix"] is not None]
    for low, high in ((0.0, 0.75), (0.75, 1.5), (1.5, 9.0)):
        some = [b for b in promised if low < b.said["promise_brix"] <= high]
        if len(some) >= 20:
            yield f"promise kept, {low:g} to {high:g} ({len(some)})", _share(some, _kept), 93, 99
    for name in EQUIPMENT:
        some = [b for b in called_done if b.equipment == name]
        yield f"density within 1.96 sigma at the draw, {name}", _share(some, _believed), 92, 98
    gross = [one for b in boils for one in b.misreads]
    if gross:
        parts = {
            "asked at entry": (sum(g.asked for g in gross), 70, 100),
            "neither asked nor noticed": (sum(not g.asked and not g.noticed for g in gross), 0, 10),
            "wrong one named": (sum(g.wrong_named for g in gross), 0, 3),
        }
        for what, (count, least, most) in parts.items():
            yield f"gross misreading: {what} ({len(gross)})", 100 * count / len(gross), least, most
    fair = [b for some in honest.values() for b in some]
    yield (
        "honest boil: said to disagree",
        _share(fair, lambda b: b.disagreed or bool(b.named)),
        0,
        8,
    )
    yield "honest boil: an innocent named", _share(fair, lambda b: bool(b.named)), 0, 2
    asked, read = sum(b.asked_of_honest for b in boils), sum(b.readings for b in boils)
    yield "honest readings asked about (no bound)", 100 * asked / max(read, 1), 0, 100
    thinnest = 65.0 - slack
    for name, most in ((FULL, 0), (PROBE_STEM, 0), (STEM, 0), (CANDY, 8)):
        thin = _share(honest[name], lambda b: b.call in ("draw_now", "over") and b.at_call < thinnest)
        yield f"called done under {thinnest:g}, {name}", thin, 0, most
    yield "rate not positive", _share(boils, lambda b: b.least_rate <= 0), 0, 0
    asks = sum(b.asks for b in boils)
    yield "belief off by 4 Brix and 3 sigma past 55", 100 * sum(b.off for b in boils) / asks, 0, 1


def measures() -> Iterator[Row]:
    """Every figure with its bounds, of maple and of birch."""
    yield from rows(played(BOILS, FIRST_SEED))
    for name, value, least, most in rows(played(BOILS, FIRST_SEED, birch=True), BIRCH_SLACK):
        yield f"birch: {name}", value, least, most


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--boils", type=int, default=BOILS, help="of each equipment")
    parser.add_argument("--seed", type=int, default=FIRST_SEED)
    parser.add_argument("--birch", action="store_true")
    given = parser.parse_args()
    found = played(given.boils, given.seed, given.birch)
    for name, value, least, most in rows(found, BIRCH_SLACK if given.birch else 0.0):
        good = least <= value <= most
        print(f"{'ok  ' if good else 'MISS'} {value:7.1f}  {least:g} to {most:g}  {name}")
