"""A boil as JSON lines: played again in a throw-away record, through the services a page uses."""

import json
import logging
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from math import isfinite
from typing import Any
from uuid import uuid4

from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.vessel import FIRES, Vessel
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import DrawFacts, Facts, Learnt, TakeInFacts
from lumbrel.services.base.form import CONFIRMED, BadInput, NotFound
from lumbrel.services.day import entries as day_entries
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.day.thermometers import thermometer_today
from lumbrel.services.kitchen.register import add_to_kitchen
from lumbrel.services.pan.board import Board, board_of
from lumbrel.services.pan.promise import promise
from lumbrel.services.probes import intake
from lumbrel.services.record import sums
from lumbrel.services.record.kept import ready, write
from lumbrel.services.stations import slip
from lumbrel.services.take_in import opening
from lumbrel.store import record, safe
from lumbrel.store import samples as samples_store
from lumbrel.store.db import IdReused, connect, transaction
from lumbrel.store.instruments import (
    Detail,
    Instrument,
    ThermometerDetail,
    instruments,
    with_detail,
)
from lumbrel.store.kitchen import (
    DEFAULT_UNITS,
    Kitchen,
    VesselRow,
    Woodlot,
    add_vessel,
    add_woodlot,
    load_kitchen,
    save_kitchen,
    vessels,
)
from lumbrel.store.samples import Sample

LOG = logging.getLogger("lumbrel.replay")
US_UNITS = {
    "temperature": "F",
    "difference": "F",
    "pressure": "inHg",
    "elevation": "ft",
    "depth": "in",
    "mass": "lb",
    "volume": "gal",
    "jar": "floz",
}
WOODLOT = Woodlot("replayed", "Replayed")
Line = dict[str, Any]
Answer = dict[str, Any]
OK: Answer = {"ok": True}


class Unfit(Exception):
    """A line that cannot be taken; `errors` says at which of its keys, and why."""

    def __init__(self, **errors: str) -> None:
        super().__init__("; ".join(errors.values()))
        self.errors = errors


def _learnt(line: Line) -> Learnt | None:
    """What earlier boils had taught, where a line brings it along."""
    if line.get("learnt") is None:
        return None
    try:
        return Learnt.model_validate(line["learnt"])
    except ValueError as error:
        raise Unfit(
            learnt="What was learnt has strays, shift_k, shift_sigma_k and draws, as numbers."
        ) from error


class Replay:
    """A kitchen in memory that answers one line after the other."""

    def __init__(self) -> None:
        self._begin()
        self._doings: dict[str, Callable[[Line], Answer]] = {
            "kitchen": self._kitchen,
            "vessel": self._vessel,
            "instrument": self._instrument,
            "history": self._history,
            "pressure": self._pressure,
            "test_boil": self._test_boil,
            "take_in": self._take_in,
            "line": self._line,
            "samples": self._samples,
            "strike": self._strike,
            "ask": self._ask,
            "anew": self._anew,
        }

    def _begin(self) -> None:
        self._db = connect(":memory:")
        ready(self._db)
        safe.set_nature(self._db, "practice")
        with transaction(self._db):
            add_woodlot(self._db, WOODLOT)
        self._clock: datetime | None = None
        self._batch = ""

    def _anew(self, line: Line) -> Answer:
        """Throw the record away and begin another."""
        self.close()
        self._begin()
        return OK

    def close(self) -> None:
        """Throw the record away."""
        self._db.close()

    def answer(self, text: str) -> Answer:
        """Do what a line says; whatever stands in its way is an answer too."""
        try:
            line = json.loads(text)
        except (ValueError, RecursionError):
            return _refused({"line": "That is no JSON object on one line."})
        if not isinstance(line, dict):
            return _refused({"line": "A line is a JSON object."})
        doing = self._doings.get(str(line.get("do")))
        if doing is None:
            known = ", ".join(self._doings)
            return _refused({"line": f"“do” must be one of {known}."})
        try:
            return doing(line)
        except Unfit as unfit:
            return _refused(unfit.errors)
        except BadInput as bad:
            return _refused(*_named(bad, line))
        except (NotFound, OutOfRange, IdReused) as error:
            return _refused({"line": str(error)})
        except Exception as error:
            LOG.exception("a line was not foreseen: %s", text[:200])
            return _refused({"line": f"That was not foreseen: {type(error).__name__}."})

    # The clock

    def _now(self, line: Line) -> datetime:
        """The clock after it has moved on to a line's moment; it never runs back."""
        at = self._at(line)
        self._clock = at if self._clock is None else max(self._clock, at)
        return self._clock

    def _at(self, line: Line) -> datetime:
        """A line's own moment; without one the clock as it stands."""
        if line.get("at") is None:
            if self._clock is None:
                raise Unfit(at="Say when, in ISO 8601 with its zone: the clock stands nowhere yet.")
            return self._clock
        return _moment(line["at"], "at")

    # What is registered

    def _kitchen(self, line: Line) -> Answer:
        now = self._now(line)
        units = line.get("units", "metric")
        if units not in ("metric", "us"):
            raise Unfit(units="Units are metric or us.")
        elevation = _number(line, "elevation_m", -430, 5000)
        target = _number(line, "target_brix", 60, 75, 66.9)
        kitchen = Kitchen(
            name="Replayed",
            elevation_m=elevation,
            time_zone="UTC",
            target_brix=target,
            units=dict(DEFAULT_UNITS if units == "metric" else US_UNITS),
        )
        with transaction(self._db):
            save_kitchen(self._db, kitchen, now)
        return OK

    def _vessel(self, line: Line) -> Answer:
        name, shape = _text(line, "name"), line.get("shape")
        wanted = {"round": 1, "rectangular": 2, "tapered": 3}
        if shape not in wanted:
            raise Unfit(shape="A vessel is round, rectangular or tapered.")
        sizes = line.get("sizes_mm")
        good = isinstance(sizes, list) and len(sizes) == wanted[shape]
        if not good or not all(_is_number(size) for size in sizes or ()):
            raise Unfit(sizes_mm=f"A {shape} vessel has {wanted[shape]} sizes in mm.")
        assert isinstance(sizes, list)
        try:
            Vessel(shape, tuple(float(size) for size in sizes))
        except OutOfRange as error:
            raise Unfit(sizes_mm=error.sentence) from error
        if any(v.name == name for v in vessels(self._db)):
            raise Unfit(name=f"There is a vessel called {name} already.")
        fire = str(line.get("fire") or "")
        if fire and fire not in FIRES:
            raise Unfit(fire=f"A vessel stands on one of {', '.join(FIRES)}.")
        row = VesselRow(
            id=str(uuid4()), name=name, shape=shape, sizes_mm=tuple(map(float, sizes)), fire=fire
        )
        with transaction(self._db):
            add_vessel(self._db, row)
        return OK

    def _instrument(self, line: Line) -> Answer:
        kind, name = str(line.get("kind")), _text(line, "name")
        if kind not in ("thermometer", "hydrometer", "refractometer", "barometer"):
            raise Unfit(
                kind="An instrument is a thermometer, hydrometer, refractometer or barometer."
            )
        stands_in = self._vessel_id(line, "in_vessel") if line.get("in_vessel") else ""
        given = {
            "name": name,
            "sort": str(line.get("sort", "digital")),
            "resolution": _with_unit(line, "resolution_k", "K"),
            "stands_in": stands_in,
            "low": _with_unit(line, "low", ""),
            "high": _with_unit(line, "high", ""),
            "true_at": _with_unit(line, "true_at_c", "C"),
            "glass": str(line.get("glass", "soda-lime")),
            "compensated": "1" if line.get("compensated") else "",
            "shows": str(line.get("shows", "station")),
        }
        defaults = {"hydrometer": ("45", "75"), "refractometer": ("0", "85")}
        if kind in defaults:
            given["low"] = given["low"] or defaults[kind][0]
            given["high"] = given["high"] or defaults[kind][1]
        # In use from the beginning of time, so that earlier lines may be read with it.
        add_to_kitchen(self._db, kind, given, datetime(1, 1, 2, tzinfo=UTC))
        return OK

    def _named_instrument(self, name: object, key: str = "instrument") -> Instrument[Detail]:
        known = {i.name: i for i in instruments(self._db)}
        if not isinstance(name, str) or name not in known:
            names = ", ".join(known) or "none yet"
            raise Unfit(**{key: f"Name an instrument; there are {names}."})
        return known[name]

    def _vessel_id(self, line: Line, key: str = "vessel") -> str:
        known = {v.name: v.id for v in vessels(self._db)}
        name = line.get(key)
        if name not in known:
            raise Unfit(**{key: f"Name a vessel; there are {', '.join(known) or 'none yet'}."})
        return known[str(name)]

    def _history(self, line: Line) -> Answer:
        """Earlier draws of a vessel, one a day before the first moment, the newest first."""
        vessel = self._vessel_id(line)
        rates = line.get("rates_kg_per_min")
        if not isinstance(rates, list) or not all(_is_number(r) and 0 < r < 50 for r in rates):
            raise Unfit(rates_kg_per_min="Rates are numbers above 0 and under 50 kg/min.")
        first = self._at(line)
        with transaction(self._db):
            for days, rate in enumerate(rates, 1):
                self._earlier_draw(vessel, first - timedelta(days=days), float(rate))
        return OK

    def _earlier_draw(self, vessel_id: str, at: datetime, rate: float) -> None:
        kitchen = load_kitchen(self._db)
        batch = record.Batch(
            id=str(uuid4()),
            code=f"history-{uuid4().hex[:8]}",
            opened_at=at,
            woodlot_id=WOODLOT.id,
            vessel_id=vessel_id,
            sugar_kind="maple",
            target_brix=kitchen.target_brix,
            draw_margin_brix=0.0,
        )
        record.add_batch(self._db, batch)
        mass = 60 * rate
        taken = TakeInFacts(
            mass_kg=mass,
            brix=40.0,
            temperature_c=60.0,
            amount_by="mass",
            amount=mass,
            brix_read=40.0,
            target_brix=kitchen.target_brix,
            water_kg=mass / 3,
            vessel_id=vessel_id,
            sugar_kind="maple",
        )
        drawn = DrawFacts(
            brix=kitchen.target_brix,
            sigma_brix=0.3,
            target_brix=kitchen.target_brix,
            mass_kg=mass * 40 / kitchen.target_brix,
            weighed=True,
            call="draw_now",
            chi2_per_dof=0.0,
            rate_kg_per_min=rate,
        )
        later = at + timedelta(hours=1)
        facts: tuple[tuple[Facts, datetime], ...] = ((taken, at), (drawn, later))
        for one, moment in facts:
            line = Entry(
                id=str(uuid4()),
                about_id=batch.id,
                at=moment,
                noted_at=moment,
                facts=one,
                # So much as an hour of that rate wants, whatever the vessel holds.
                typed={f"{sums.SUMS}{CONFIRMED}": "1"},
            )
            write(self._db, line)

    # The day

    def _pressure(self, line: Line) -> Answer:
        now = self._now(line)
        fields = {"basis": str(line.get("basis")), "pressure": str(line.get("typed", ""))}
        day_entries.set_pressure(self._db, now, fields | _confirmed(line, PRESSURE_KEYS))
        return OK

    def _test_boil(self, line: Line) -> Answer:
        now = self._now(line)
        glass = with_detail(
            self._named_instrument(line.get("thermometer"), "thermometer"), ThermometerDetail
        )
        if glass is None:
            raise Unfit(thermometer="That is no thermometer.")
        fields = {"thermometer": glass.id, "reading": str(line.get("typed", ""))}
        day_entries.test_boil(self._db, now, fields | _confirmed(line, BOIL_KEYS))
        pressure = pressure_at(self._db, load_kitchen(self._db), now)
        assert pressure is not None
        today = thermometer_today(self._db, glass, pressure, now)
        return OK | {
            "offset_k": today.calibration.offset_k,
            "sigma_k": today.offset_sigma_k,
        }

    # The boil

    def _take_in(self, line: Line) -> Answer:
        now = self._now(line)
        vessel = self._vessel_id(line)
        for key in ("amount_typed", "temperature_typed"):
            if line.get(key) is None:
                raise Unfit(**{key: "Say it as it was typed."})
        told = {
            field: str(line[key])
            for field, key in TAKE_IN_KEYS.items()
            if field in ("brix", "raw_sap", "tree") and line.get(key) is not None
        }
        if "brix" not in told:
            told["brix_by"] = "unknown"
        fields = {
            "vessel": vessel,
            "sugar_kind": str(line.get("sugar_kind", "maple")),
            "woodlot": WOODLOT.id,
            "amount_by": "mass",
            "amount": str(line["amount_typed"]),
            "temperature": str(line["temperature_typed"]),
        } | told
        confirmed = _confirmed(line, TAKE_IN_KEYS)
        self._batch = opening.open_batch(self._db, now, fields | confirmed, _learnt(line))
        return OK | {"batch": self._batch}

    def _line(self, line: Line) -> Answer:
        now, at = self._now(line), self._at(line)
        kind, given = str(line.get("kind")), line.get("fields", {})
        if not self._batch:
            raise Unfit(line="Take a batch in first.")
        if not isinstance(given, dict) or not all(isinstance(v, str) for v in given.values()):
            raise Unfit(fields="Fields are text, as typed.")
        fields = dict(given)
        if "dipped_at" in given:
            # What is no moment with its zone is refused here: the form knows the kitchen's own too.
            _moment(given["dipped_at"], "dipped_at")
        elif at != now:
            fields["at"] = f"{at.astimezone(UTC):%Y-%m-%d %H:%M:%S}"
        if "instrument" in fields:
            fields["instrument"] = self._named_instrument(fields["instrument"]).id
        if kind == "foam":
            fields.setdefault("defoamer", "oil")
        fields |= _confirmed(line, {sums.SUMS: "line"})
        slip.put(self._db, self._batch, kind, fields, now)
        return OK

    def _strike(self, line: Line) -> Answer:
        """Strike the newest line of a kind that stands."""
        now, kind = self._now(line), str(line.get("kind"))
        if not self._batch:
            raise Unfit(line="Take a batch in first.")
        context = contexts.load(self._db, self._batch, now)
        standing = [e for e in context.current if e.kind == kind]
        if not standing:
            raise Unfit(kind=f"No line of the kind “{kind[:20]}” stands on the slip.")
        newest = max(standing, key=lambda e: (e.noted_at, e.at))
        slip.strike(self._db, self._batch, {"supersedes": newest.id, "why": "Struck"}, now)
        return OK

    def _samples(self, line: Line) -> Answer:
        device = self._named_instrument(line.get("instrument"))
        sent = line.get("samples")
        if not isinstance(sent, list):
            raise Unfit(samples="Samples are pairs of a moment and a value.")
        good: list[tuple[datetime, float]] = []
        for one in sent:
            try:
                at, value = one
                if not _is_number(value):
                    continue
                good.append((_moment(at, "samples"), float(value)))
            except (TypeError, ValueError, Unfit):
                continue
        if good:
            newest = max(at for at, _ in good)
            self._clock = newest if self._clock is None else max(self._clock, newest)
        if self._clock is None:
            raise Unfit(samples="Not one of them has a moment and a value.")
        kept = self._keep(device, good, self._clock)
        return OK | {"kept": kept, "refused": len(sent) - kept}

    def _keep(
        self, device: Instrument[Detail], samples: list[tuple[datetime, float]], now: datetime
    ) -> int:
        if device.kind == "barometer":
            plausible = [Sample(at, pa) for at, pa in samples if 50_000 <= pa <= 109_000]
            with transaction(self._db):
                return samples_store.add_samples(self._db, device.id, plausible)
        if with_detail(device, ThermometerDetail) is None:
            raise Unfit(instrument="Only thermometers and barometers send samples.")
        kept = 0
        for begin in range(0, len(samples), intake.MOST_AT_ONCE):
            some = samples[begin : begin + intake.MOST_AT_ONCE]
            kept += intake.take(self._db, device.id, some, now).kept
        return kept

    def _ask(self, line: Line) -> Answer:
        now = self._now(line)
        if not self._batch:
            raise Unfit(line="Take a batch in first.")
        context = contexts.load(self._db, self._batch, now)
        return _said(replace(context, now=now), board_of(context))


PRESSURE_KEYS = {"pressure": "typed", "basis": "basis", "elevation": "line"}
BOIL_KEYS = {"reading": "typed", "thermometer": "thermometer"}
TAKE_IN_KEYS = {
    "amount": "amount_typed",
    "brix": "brix_typed",
    "raw_sap": "raw_sap_typed",
    "tree": "tree",
    "temperature": "temperature_typed",
    "vessel": "vessel",
    "sugar_kind": "sugar_kind",
    sums.SUMS: "line",
}
INSTRUMENT_KEYS = {
    "resolution": "resolution_k",
    "true_at": "true_at_c",
    "stands_in": "in_vessel",
    "name": "name",
    "sort": "sort",
    "low": "low",
    "high": "high",
    "glass": "glass",
    "shows": "shows",
}
KEYS = {
    "pressure": PRESSURE_KEYS,
    "test_boil": BOIL_KEYS,
    "take_in": TAKE_IN_KEYS,
    "instrument": INSTRUMENT_KEYS,
}
"""By what is done, the form's fields and the keys they were sent under."""


def _refused(errors: dict[str, str], asks: dict[str, str] | None = None) -> Answer:
    return {"ok": False, "errors": errors, "asks": asks or {}}


def _named(bad: BadInput, line: Line) -> tuple[dict[str, str], dict[str, str]]:
    """What stood in the way, under the keys that were sent."""
    names = KEYS.get(str(line["do"]))
    given = line.get("fields") if isinstance(line.get("fields"), dict) else {}

    def key_of(field: str) -> str:
        if names is not None:
            return names.get(field, "line")
        return field if field in (given or {}) or field == "at" else _asked(field)

    errors = {key_of(field): text for field, text in bad.errors.items()}
    return errors, {key_of(field): text for field, text in bad.asks.items()}


def _asked(field: str) -> str:
    """A field of a line that was left out keeps its name, so that it can be given or confirmed."""
    return "line" if field in ("kind", "why", sums.SUMS) else field


def _confirmed(line: Line, names: dict[str, str]) -> dict[str, str]:
    """The form's own ticks for the keys that a line confirms."""
    keys = line.get("confirm", [])
    if not isinstance(keys, list):
        raise Unfit(confirm="Confirm a list of keys.")
    fields = {sent: field for field, sent in names.items()}
    return {f"{fields.get(str(key), str(key))}{CONFIRMED}": "1" for key in keys}


def _is_number(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and isfinite(value)


def _number(line: Line, key: str, low: float, high: float, default: float | None = None) -> float:
    value = line.get(key, default)
    if not isinstance(value, int | float) or not _is_number(value) or not low <= value <= high:
        raise Unfit(**{key: f"{key} is a number between {low:g} and {high:g}."})
    return float(value)


def _text(line: Line, key: str) -> str:
    value = line.get(key)
    if not isinstance(value, str) or not value.strip():
        raise Unfit(**{key: f"{key} is a text."})
    return value.strip()


def _with_unit(line: Line, key: str, unit: str) -> str:
    """A number as a person would type it, with its unit; empty when it was not given."""
    value = line.get(key)
    if value is None:
        return ""
    if not _is_number(value):
        raise Unfit(**{key: f"{key} is a number."})
    return f"{value!r} {unit}".strip()


def _moment(text: object, key: str) -> datetime:
    sentence = "Write a moment in ISO 8601 with its zone, as 2026-03-14T19:00:00+00:00."
    try:
        at = datetime.fromisoformat(str(text))
        if at.tzinfo is None:
            raise Unfit(**{key: sentence})
        return at.astimezone(UTC)
    except (ValueError, OverflowError) as error:
        raise Unfit(**{key: sentence}) from error


def _said(context: contexts.BatchContext, board: Board) -> Answer:
    """What the board says, every key always there."""
    believed = board.believed
    boiled = board.evidence.fitted.rate_kg_per_min
    left = board.minutes_left + board.heating_minutes
    known_left = left < NEVER_MINUTES
    high = board.high_left
    return OK | {
        "call": board.verdict.call.value,
        "brix": believed.brix if believed else None,
        "sigma_brix": believed.sigma_brix if believed else None,
        "minutes_left": left if known_left else None,
        "low": min(board.low_left + board.heating_minutes, left) if known_left else None,
        "high": max(high + board.heating_minutes, left) if high is not None else None,
        "next_check_at": board.next_check_at.isoformat(),
        "draw_mark_c": board.draw_shown_c,
        "odd_one_out": board.odd or None,
        "kill_the_heat": context.drawn is None and board.stop_first and _settled_by_another(board),
        "promise_brix": promise(board).within_brix,
        "water_to_go_kg": board.verdict.water_kg,
        "rate_kg_per_min": boiled if boiled > 0 else LEAST_RATE_KG_PER_MIN,
        "by": [
            {"label": one.label, "brix": one.brix, "sigma_brix": one.sigma_brix}
            for one in (board.voices if believed else [])
        ],
        "questions": [{"key": one.key, "sentence": one.sentence} for one in board.questions],
    }


NEVER_MINUTES, LEAST_RATE_KG_PER_MIN = 5000.0, 1e-3


def _settled_by_another(board: Board) -> bool:
    """Whether somebody else than a thermometer in the boil could settle it."""
    return board.unlooked or any(
        word.reading.kind != "thermometer" for word in board.evidence.words
    )
