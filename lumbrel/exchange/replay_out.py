"""A batch of the record as JSON lines, so that its boil can be played again."""

import json
from collections.abc import Callable, Iterator
from datetime import datetime, timedelta
from typing import Any

from lumbrel.exchange.replay_words import COOK_KEYS
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry, newest
from lumbrel.services.base.facts import (
    AnsweredFacts,
    BathFacts,
    BoilingFacts,
    BurnerFacts,
    ColdWaterFacts,
    CookedFacts,
    CookFacts,
    DepthFacts,
    DrawnFacts,
    Facts,
    FoamFacts,
    HeatFacts,
    HydrometerFacts,
    JarFacts,
    KettleFacts,
    NoteFacts,
    PotFacts,
    PutInFacts,
    RefractometerFacts,
    ReheatFacts,
    ScaleFacts,
    SignFacts,
    StirFacts,
    StrainedFacts,
    TakeInFacts,
    ThermometerFacts,
    TurnedFacts,
    WeighedFacts,
)
from lumbrel.services.base.form import CONFIRMED, EARLIER_CONFIRMED
from lumbrel.services.candy.pot import pot_of
from lumbrel.services.day.facts import PressureFacts
from lumbrel.services.day.pressure import NOTE_FRESH
from lumbrel.services.day.thermometers import of_that_day
from lumbrel.services.pan.live_scale import AROUND_TAKE_IN
from lumbrel.services.pan.rate import LAST_DRAWS
from lumbrel.store import kept
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import (
    BarometerDetail,
    HydrometerDetail,
    Instrument,
    RefractometerDetail,
    ScaleDetail,
    ThermometerDetail,
)

A_CHUNK = 500
AFTER_THE_DRAW = timedelta(days=3)
Line = dict[str, Any]


def as_replay(context: BatchContext) -> str:
    """A batch from its kitchen to its draw and what was read after it, or a cook to its stirring, one JSON
    object a line. What a stem\'s own pairs and checks taught is not in this form; all else is."""
    lines = [*_registered(context), *_in_order(context)]
    return "".join(json.dumps(line, ensure_ascii=False, allow_nan=False) + "\n" for line in lines)


def _at(moment: datetime) -> str:
    return moment.isoformat(timespec="milliseconds")


def _registered(context: BatchContext) -> Iterator[Line]:
    taken, vessel = context.taken_in, context.vessel
    begins = taken.at - NOTE_FRESH
    yield {
        "do": "kitchen",
        "at": _at(begins),
        "elevation_m": context.kitchen.elevation_at(taken.at) or 0.0,
        "units": "metric",
        **({} if context.is_cook else {"target_brix": context.batch.target_brix}),
    }
    yield {
        "do": "vessel",
        "name": vessel.name,
        "shape": vessel.shape,
        "sizes_mm": list(vessel.sizes_mm),
        **({"fire": vessel.fire} if vessel.fire else {}),
    }
    for glass in context.instruments_of(ThermometerDetail):
        finest = glass.detail.resolution_k
        yield _instrument(glass) | {
            "sort": glass.detail.sort,
            **({"resolution_k": finest} if finest else {}),
            **({"in_vessel": vessel.name} if glass.vessel_id == vessel.id else {}),
        }
    for stem in context.instruments_of(HydrometerDetail):
        yield _instrument(stem) | {
            "low": stem.detail.scale_low_brix,
            "high": stem.detail.scale_high_brix,
            "true_at_c": stem.detail.calibration_temperature_c,
            "glass": stem.detail.glass,
        }
    for prism in context.instruments_of(RefractometerDetail):
        yield _instrument(prism) | {
            "low": prism.detail.range_low_brix,
            "high": prism.detail.range_high_brix,
            "compensated": prism.detail.compensated,
        }
    for barometer in context.instruments_of(BarometerDetail):
        yield _instrument(barometer) | {"shows": barometer.detail.shows}
    for scale in context.instruments_of(ScaleDetail):
        if scale.vessel_id == vessel.id:
            yield _instrument(scale) | {"in_vessel": vessel.name}
    rates = kept.last_rates(context.db, vessel.id, taken.at, LAST_DRAWS)
    if rates:
        yield {"do": "history", "vessel": vessel.name, "rates_kg_per_min": rates}


def _instrument(one: Instrument[Any]) -> Line:
    return {"do": "instrument", "kind": one.kind, "name": one.name}


def _in_order(context: BatchContext) -> list[Line]:
    """Everything that has a moment, in its order; a device\'s samples in chunks between."""
    taken = context.taken_in
    until = (context.left_at or context.now) + AFTER_THE_DRAW
    dated: list[tuple[datetime, int, Line]] = []
    dated += _air(context, until)
    for glass in context.instruments_of(ThermometerDetail):
        before = of_that_day(context.db, glass.id, taken.at)
        for boil in before:
            line = {"thermometer": glass.name, "typed": f"{boil.facts.reading_c!r} C"}
            at = max(boil.at, taken.at - NOTE_FRESH)
            dated.append((at, 1, {"do": "test_boil", "at": _at(at), **line, "confirm": ["typed"]}))
    dated.append((taken.at, 2, _begun(context)))
    for entry in context.current:
        fields = _fields(context, entry)
        if fields is not None and entry.at <= until:
            dated.append((entry.at, 3, _line(entry, fields)))
    dated.sort(key=lambda one: one[:2])
    return _with_samples(context, dated)


def _begun(context: BatchContext) -> Line:
    """What was taken in, or put into a candy pot."""
    taken, facts = context.taken_in, context.taken_in.facts
    amount: Line = {"at": _at(taken.at), "amount_typed": f"{facts.mass_kg!r} kg"}
    if isinstance(facts, CookFacts):
        stirred = {} if facts.stir_c is None else {"stir_typed": f"{facts.stir_c!r} C"}
        what: Line = {"do": "cook", "pot": context.vessel.name, "confection": facts.piece}
        return (
            what | amount | {"brix_typed": f"{facts.brix!r}", "confirm": list(COOK_KEYS.values())} | stirred
        )
    return {
        "do": "take_in",
        "vessel": context.vessel.name,
        "sugar_kind": context.batch.sugar_kind,
        **amount,
        **(_brix(facts) if isinstance(facts, TakeInFacts) else {}),
        **({"learnt": facts.learnt.model_dump()} if facts.learnt else {}),
        "temperature_typed": f"{facts.temperature_c!r} C",
        "confirm": ["amount_typed", "brix_typed"],
    }


def _brix(facts: TakeInFacts) -> Line:
    """The density of a take-in, or what there was instead of one."""
    if facts.brix_sigma is None:
        return {"brix_typed": f"{facts.brix!r}"}
    sap = {} if facts.sap_kg is None else {"raw_sap_typed": f"{facts.sap_kg!r} kg"}
    return sap | ({"tree": facts.tree} if facts.tree else {})


def _air(context: BatchContext, until: datetime) -> list[tuple[datetime, int, Line]]:
    begins = context.taken_in.at - NOTE_FRESH
    notes = newest(context.db, PressureFacts, since=begins, until=until)
    return [
        (
            note.at,
            0,
            {
                "do": "pressure",
                "at": _at(note.at),
                "basis": "station",
                "typed": f"{note.facts.station_pressure_pa / 100!r} hPa",
                "confirm": ["typed"],
            },
        )
        for note in reversed(notes)
        if note.facts.basis != "elevation"
    ]


def _with_samples(context: BatchContext, dated: list[tuple[datetime, int, Line]]) -> list[Line]:
    """The lines with what devices sent in between."""
    taken, until = context.taken_in, context.left_at or context.now
    probe = context.probe
    devices = [(b, taken.at - NOTE_FRESH) for b in context.instruments_of(BarometerDetail)]
    sent: list[tuple[datetime, str, float]] = []
    scales = [one for one in context.instruments_of(ScaleDetail) if one.vessel_id == context.vessel.id]
    speak = [
        *devices,
        *([(probe, taken.at)] if probe else []),
        *((one, taken.at - AROUND_TAKE_IN) for one in scales),
    ]
    for device, since in speak:
        every = samples_store.samples(context.db, device.id, since, until)
        sent += [(sample.at, device.name, sample.value) for sample in every]
    sent.sort()
    found: list[Line] = []
    next_one = 0
    for at, _any, line in dated:
        reached = next_one
        while reached < len(sent) and sent[reached][0] <= at:
            reached += 1
        found += _chunks(sent[next_one:reached])
        next_one = reached
        found.append(line)
    return found + list(_chunks(sent[next_one:]))


def _chunks(sent: list[tuple[datetime, str, float]]) -> Iterator[Line]:
    for name in dict.fromkeys(device for _when, device, _value in sent):
        mine = [[_at(at), value] for at, device, value in sent if device == name]
        for begin in range(0, len(mine), A_CHUNK):
            yield {"do": "samples", "instrument": name, "samples": mine[begin : begin + A_CHUNK]}


def _line(entry: Entry[Facts], fields: dict[str, str]) -> Line:
    asked = {
        key.removesuffix(CONFIRMED).removesuffix(EARLIER_CONFIRMED)
        for key in entry.typed
        if key.endswith((CONFIRMED, EARLIER_CONFIRMED))
    }
    if isinstance(entry.facts, DrawnFacts):
        asked.add("mass")
    if isinstance(entry.facts, HeatFacts):
        asked.add("on")
    if getattr(entry.facts, "dated", "typed") != "typed":
        fields = fields | {"dipped_at": _at(entry.at)}
    # Nobody has the tank there that it was fed from.
    kind = "added" if isinstance(entry.facts, PutInFacts) else entry.kind
    line: Line = {"do": "line", "at": _at(entry.at), "kind": kind, "fields": fields}
    return line | ({"confirm": sorted(asked)} if asked else {})


def _fields(context: BatchContext, entry: Entry[Facts]) -> dict[str, str] | None:
    """The fields of a line as they would be typed, with their units; None for a line that is
    nothing of the boil."""
    facts = entry.facts
    names = {i.id: i.name for i in context.instruments}
    if isinstance(facts, HydrometerFacts):
        return {
            "instrument": names[facts.instrument_id],
            "reading": f"{facts.reading_brix!r}",
            "cup": f"{facts.cup_c!r} C",
            **({"below": "1"} if facts.below_scale else {}),
            **({"assumed": "1"} if facts.cup_assumed else {}),
        }
    if isinstance(facts, RefractometerFacts):
        return {
            "instrument": names[facts.instrument_id],
            "reading": f"{facts.reading_brix!r}",
            "sample": f"{facts.sample_c!r} C",
            **({"compensated": "1"} if facts.compensated else {}),
            **({"hot_drop": "1"} if facts.hot_drop else {}),
        }
    if isinstance(facts, ThermometerFacts | PotFacts):
        return {"instrument": names[facts.instrument_id], "reading": f"{facts.reading_c!r} C"}
    if isinstance(facts, AnsweredFacts):
        about = {"instrument": names[facts.instrument_id]} if facts.instrument_id else {}
        return {"question": facts.question, "yes": "1" if facts.yes else "0"} | about
    if isinstance(facts, CookedFacts) and facts.by == "pot":
        return _stands(facts) | {"pot": f"{pot_of(context).shown_c(facts.reached_c)!r} C"}
    return _happened(facts)


def _happened(facts: Facts) -> dict[str, str] | None:
    """The fields of a line that is no instrument's."""
    if isinstance(facts, PutInFacts):
        warm = facts.temperature_c
        return {
            "mass": f"{facts.mass_kg!r} kg",
            "brix": f"{facts.brix!r}",
            **({} if warm is None else {"temperature": f"{warm!r} C"}),
        }
    if isinstance(facts, DrawnFacts):
        return {"mass": f"{facts.mass_kg!r} kg"} if facts.weighed else {}
    say = SAID.get(type(facts))
    return say(facts) if say else None


def _stands(facts: CookedFacts | BathFacts) -> dict[str, str]:
    told = {
        "bath_litres": None if facts.litres is None else f"{facts.litres!r} L",
        "bath_temperature": None if facts.around_c is None else f"{facts.around_c!r} C",
        "running": "1" if facts.running else None,
    }
    return {"bath": facts.bath} | {key: text for key, text in told.items() if text}


SAID: dict[type[Facts], Callable[[Any], dict[str, str]]] = {
    DepthFacts: lambda facts: {"depth": f"{facts.depth_mm!r} mm"},
    WeighedFacts: lambda facts: {
        "mass": f"{facts.mass_kg!r} kg",
        "temperature": f"{facts.temperature_c!r} C",
        **(
            {"volume": f"{facts.volume_l!r} L"}
            if facts.water_kg is None
            else {"water": f"{facts.water_kg!r} kg"}
        ),
    },
    ScaleFacts: lambda facts: {"mass": f"{facts.mass_kg!r} kg", "empty": f"{facts.empty_kg!r} kg"},
    NoteFacts: lambda facts: {"text": facts.text},
    SignFacts: lambda facts: {"sign": facts.sign},
    HeatFacts: lambda facts: {"on": "1" if facts.on else "0"},
    BurnerFacts: lambda facts: {"changed": "1"},
    BoilingFacts: lambda facts: {},
    ColdWaterFacts: lambda facts: {"sign": facts.sign},
    CookedFacts: _stands,
    BathFacts: _stands,
    StirFacts: lambda facts: {},
    TurnedFacts: lambda facts: {},
    StrainedFacts: lambda facts: {},
    FoamFacts: lambda facts: {},
    KettleFacts: lambda facts: {"kettle": f"{facts.temperature_c!r} C"},
    ReheatFacts: lambda facts: {},
    JarFacts: lambda facts: {
        "lot": facts.lot,
        "fill": f"{facts.fill_c!r} C",
        **{
            f"{name}_{row}": text
            for row, (size, count) in enumerate(facts.jars, 1)
            for name, text in (("size", f"{size!r} ml"), ("count", str(count)))
        },
    },
}
"""What is typed for the kinds of line that take little."""
