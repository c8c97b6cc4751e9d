"""What nobody writes down at the pan, in a second world (`tests/worlds/rough.py`): how the pan's word holds
then, what is asked, and how soon; with bounds."""

import argparse
import sys
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from tests.worlds.rough import CANDY, FULL, PROBE_STEM, STEM, Kitchen, Played  # noqa: E402

BOILS, FIRST_SEED = 40, 90_000
"""Of each scene and equipment; seeds that nothing was tuned to."""
Row = tuple[str, float, float, float]
"""What, measured, least and most allowed."""
PLAYED = {
    "honest": (PROBE_STEM, STEM, FULL, CANDY),
    "fire_out": (PROBE_STEM,),
    "topped_up": (PROBE_STEM, STEM),
    "part_taken": (PROBE_STEM, STEM),
    "unit_f": (STEM,),
    "unit_c": (STEM,),
    "small_pot": (STEM, PROBE_STEM),
    "wide_pan": (STEM, PROBE_STEM),
    "drifts": (PROBE_STEM,),
    "splashed": (PROBE_STEM,),
    "air_falls": (PROBE_STEM, CANDY),
    "part_noted": (PROBE_STEM, STEM),
    "slipped": (FULL,),
    "birch": (STEM,),
}
ASKED_FOR = {
    "fire_out": ("heat_off", "relit"),
    "topped_up": ("put_in", "taken_out"),
    "part_taken": ("taken_out", "put_in"),
    "drifts": ("probe_drifts", "boil_again"),
    "air_falls": ("boil_again", "probe_drifts"),
}


def play(job: tuple[int, str, str]) -> Played:
    """One boil."""
    seed, equipment, scene = job
    if scene == "birch":
        return Kitchen(seed, equipment, birch=True).play()
    return Kitchen(seed, equipment, scene).play()


def played(boils: int, first: int, scenes: Sequence[str]) -> dict[tuple[str, str], list[Played]]:
    """So many boils of each scene and equipment."""
    jobs = [
        (first + i, equipment, scene) for scene in scenes for equipment in PLAYED[scene] for i in range(boils)
    ]
    with ProcessPoolExecutor(2) as pool:
        done = list(pool.map(play, jobs, chunksize=2))
    found: dict[tuple[str, str], list[Played]] = {}
    for (_, equipment, scene), one in zip(jobs, done, strict=True):
        found.setdefault((scene, equipment), []).append(one)
    return found


def share(of: Sequence[Played], holds: Callable[[Played], bool]) -> float:
    """Of a hundred."""
    return 100 * sum(map(holds, of)) / len(of) if of else float("nan")


def rows(found: dict[tuple[str, str], list[Played]]) -> Iterator[Row]:
    """Every figure with its bounds."""
    for (scene, equipment), some in found.items():
        where = f"{scene}, {equipment}"
        ranged = [one for one in some if one.covered is not None]
        least = {"fire_out": 75.0}.get(scene, 80.0)
        yield (
            f"range holds, {where} ({len(ranged)})",
            share(ranged, lambda b: bool(b.covered)),
            least,
            97,
        )
        yield from _thin(where, scene, equipment, some)
        over = 8.0 if scene in ("small_pot", "wide_pan") else 100.0
        yield (
            f"landed over 68.9, {where}",
            share(some, lambda b: (b.drawn_brix or 0) > 68.9),
            0,
            over,
        )
        yield f"never called, {where}", share(some, lambda b: b.call == "never"), 0, 100
        named = (
            5.0 if scene in ("honest", "birch") else 3.0 if scene in ("topped_up", "part_taken") else 100.0
        )
        innocent = [one for one in some if scene != "drifts" or "Probe" not in one.named]
        yield (
            f"an innocent named, {where}",
            100 * sum(bool(b.named) for b in innocent) / len(some),
            0,
            named,
        )
        if scene in ("honest", "birch", "small_pot", "wide_pan"):
            asked = sum(len(b.asked_at) for b in some) / len(some)
            yield f"questions that were not so, a boil, {where}", asked, 0, 0.3
            silent = 3.0 if equipment == CANDY else 0.5
            yield (
                f"keep boiling past 68.9, {where}",
                share(some, lambda b: b.burnt_silence),
                0,
                silent,
            )
            late, looks = sum(b.late_looks for b in some), sum(b.looks for b in some)
            yield (
                f"next look later than half-way to the low end, {where}",
                100 * late / max(looks, 1),
                0,
                5,
            )
            late, keeps = sum(b.late_keeps for b in some), sum(b.keeps for b in some)
            yield f"keep boiling, low end under a minute, {where}", 100 * late / max(keeps, 1), 0, 1
        if scene in ASKED_FOR:
            yield from _asked(where, scene, some)
        typed = sum(b.unit_typed for b in some)
        if typed:
            asked_unit = sum(b.unit_asked for b in some)
            yield f"asked with the unit named, {where} ({typed})", 100 * asked_unit / typed, 95, 100
        if scene == "birch":
            near = share(some, lambda b: b.done and abs((b.drawn_brix or 0) - 66.9) <= 1)
            yield f"within 1 Brix, {where}", near, 85, 100
        promised = [b for b in some if b.done and b.said["promise_brix"] is not None]
        kept = share(promised, lambda b: abs((b.drawn_brix or 0) - 66.9) <= b.said["promise_brix"])
        yield f"promise kept, {where} ({len(promised)})", kept, 93 if scene == "birch" else 0, 100


def _thin(where: str, scene: str, equipment: str, some: list[Played]) -> Iterator[Row]:
    """What was called done, or drawn, too thin to keep: a pot gains a Brix while somebody acts."""
    least = 64.0 if scene == "fire_out" else 65.0
    most = {"fire_out": 0.0, "drifts": 0.0, "splashed": 0.0}.get(scene, 1.0)
    most = 8.0 if equipment == CANDY else most
    if scene == "small_pot":
        thin = share(some, lambda b: b.done and (b.drawn_brix or 0) < least)
        yield f"drawn under {least:g}, {where}", thin, 0, most
    else:
        thin = share(some, lambda b: b.done and b.at_call < least)
        yield f"done under {least:g}, {where}", thin, 0, most


def _asked(where: str, scene: str, some: list[Played]) -> Iterator[Row]:
    """Whether it was asked about by name, and how soon."""
    keys = ASKED_FOR[scene]
    # What was so little, or came so late, that it was drawn before anybody could tell, counts too.
    happened = [b for b in some if b.happened_at is not None or scene in ("drifts", "air_falls")]

    def first(one: Played, which: Sequence[str]) -> float | None:
        moments = [at for key, at in one.asked_at.items() if key in which]
        return min(moments, default=None)

    ever = share(happened, lambda b: first(b, keys) is not None)
    least = 70.0 if scene in ("topped_up", "part_taken") else 0.0
    yield f"asked about before the end, {where} ({len(happened)})", ever, least, 100
    if scene == "fire_out":
        soon = share(
            happened,
            lambda b: (at := first(b, keys[:1])) is not None and at - (b.happened_at or 0) <= 3,
        )
        yield f"asked about by name within 3 minutes, {where}", soon, 90, 100


def measures() -> Iterator[Row]:
    """Every figure with its bounds."""
    yield from rows(played(BOILS, FIRST_SEED, list(PLAYED)))


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--boils", type=int, default=BOILS, help="of each scene and equipment")
    parser.add_argument("--seed", type=int, default=FIRST_SEED)
    parser.add_argument("--scene", choices=list(PLAYED), action="append")
    parser.add_argument("--miss", action="store_true", help="only what misses its bound")
    given = parser.parse_args()
    for name, value, least, most in rows(played(given.boils, given.seed, given.scene or list(PLAYED))):
        good = least <= value <= most
        if not (given.miss and good):
            print(f"{'ok  ' if good else 'MISS'} {value:7.1f}  {least:g} to {most:g}  {name}")
