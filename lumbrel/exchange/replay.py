"""A boil as JSON lines: played again in a throw-away record, through the services a page uses."""

import json
import logging
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from uuid import uuid4

from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.vessel import FIRES, Vessel
from lumbrel.exchange.replay_record import (
    WOODLOT,
    earlier_draw,
    instrument_named,
    keep,
    kettle_truly,
    vessel_named,
)
from lumbrel.exchange.replay_words import (
    BOIL_KEYS,
    OK,
    PRESSURE_KEYS,
    TAKE_IN_KEYS,
    US_UNITS,
    Answer,
    Line,
    Unfit,
    confirmed_of,
    is_number,
    learnt_of,
    moment_of,
    named_of,
    number_of,
    refused_of,
    said_of,
    text_of,
    with_unit,
)
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.day import entries as day_entries
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.day.thermometers import thermometer_today
from lumbrel.services.kitchen.register import add_to_kitchen
from lumbrel.services.pan.board import board_of
from lumbrel.services.record import sums
from lumbrel.services.record.kept import ready
from lumbrel.services.stations import slip
from lumbrel.services.take_in import opening
from lumbrel.store import safe
from lumbrel.store.db import IdReused, connect, transaction
from lumbrel.store.instruments import ThermometerDetail, with_detail
from lumbrel.store.kitchen import (
    DEFAULT_UNITS,
    Kitchen,
    VesselRow,
    add_vessel,
    add_woodlot,
    load_kitchen,
    save_kitchen,
    vessels,
)
from lumbrel.words import _

LOG = logging.getLogger("lumbrel.replay")


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
            return refused_of({"line": _("That is no JSON object on one line.")})
        if not isinstance(line, dict):
            return refused_of({"line": _("A line is a JSON object.")})
        doing = self._doings.get(str(line.get("do")))
        if doing is None:
            known = ", ".join(self._doings)
            return refused_of({"line": _("“do” must be one of {known}.", known=known)})
        try:
            return doing(line)
        except Unfit as unfit:
            return refused_of(unfit.errors)
        except BadInput as bad:
            return refused_of(*named_of(bad, line))
        except (NotFound, OutOfRange, IdReused) as error:
            return refused_of({"line": str(error)})
        except Exception as error:
            LOG.exception("a line was not foreseen: %s", text[:200])
            return refused_of({"line": _("That was not foreseen: {type}.", type=type(error).__name__)})

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
                raise Unfit(at=_("Say when, in ISO 8601 with its zone: the clock stands nowhere yet."))
            return self._clock
        return moment_of(line["at"], "at")

    # What is registered

    def _kitchen(self, line: Line) -> Answer:
        now = self._now(line)
        units = line.get("units", "metric")
        if units not in ("metric", "us"):
            raise Unfit(units=_("Units are metric or us."))
        elevation = number_of(line, "elevation_m", -430, 5000)
        target = number_of(line, "target_brix", 20, 75, 66.9)
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
        name, shape = text_of(line, "name"), line.get("shape")
        wanted = {"round": 1, "rectangular": 2, "tapered": 3}
        if shape not in wanted:
            raise Unfit(shape=_("A vessel is round, rectangular or tapered."))
        sizes = line.get("sizes_mm")
        good = isinstance(sizes, list) and len(sizes) == wanted[shape]
        if not good or not all(is_number(size) for size in sizes or ()):
            raise Unfit(
                sizes_mm=_("A {shape} vessel has {wanted} sizes in mm.", shape=shape, wanted=wanted[shape])
            )
        assert isinstance(sizes, list)
        try:
            Vessel(shape, tuple(float(size) for size in sizes))
        except OutOfRange as error:
            raise Unfit(sizes_mm=error.sentence) from error
        if any(v.name == name for v in vessels(self._db)):
            raise Unfit(name=_("There is a vessel called {name} already.", name=name))
        fire = str(line.get("fire") or "")
        if fire and fire not in FIRES:
            raise Unfit(fire=_("A vessel stands on one of {FIRES}.", FIRES=", ".join(FIRES)))
        row = VesselRow(id=str(uuid4()), name=name, shape=shape, sizes_mm=tuple(map(float, sizes)), fire=fire)
        with transaction(self._db):
            add_vessel(self._db, row)
        return OK

    def _instrument(self, line: Line) -> Answer:
        kind, name = str(line.get("kind")), text_of(line, "name")
        if kind not in ("thermometer", "hydrometer", "refractometer", "barometer"):
            raise Unfit(kind=_("An instrument is a thermometer, hydrometer, refractometer or barometer."))
        stands_in = vessel_named(self._db, line, "in_vessel") if line.get("in_vessel") else ""
        given = {
            "name": name,
            "sort": str(line.get("sort", "digital")),
            "resolution": with_unit(line, "resolution_k", "K"),
            "stands_in": stands_in,
            "low": with_unit(line, "low", ""),
            "high": with_unit(line, "high", ""),
            "true_at": with_unit(line, "true_at_c", "C"),
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

    def _history(self, line: Line) -> Answer:
        """Earlier draws of a vessel, one a day before the first moment, the newest first."""
        vessel = vessel_named(self._db, line)
        rates = line.get("rates_kg_per_min")
        if not isinstance(rates, list) or not all(is_number(r) and 0 < r < 50 for r in rates):
            raise Unfit(rates_kg_per_min=_("Rates are numbers above 0 and under 50 kg/min."))
        first = self._at(line)
        with transaction(self._db):
            for days, rate in enumerate(rates, 1):
                earlier_draw(self._db, vessel, first - timedelta(days=days), float(rate))
        return OK

    # The day

    def _pressure(self, line: Line) -> Answer:
        now = self._now(line)
        fields = {"basis": str(line.get("basis")), "pressure": str(line.get("typed", ""))}
        day_entries.set_pressure(self._db, now, fields | confirmed_of(line, PRESSURE_KEYS))
        return OK

    def _test_boil(self, line: Line) -> Answer:
        now = self._now(line)
        glass = with_detail(
            instrument_named(self._db, line.get("thermometer"), "thermometer"), ThermometerDetail
        )
        if glass is None:
            raise Unfit(thermometer=_("That is no thermometer."))
        fields = {"thermometer": glass.id, "reading": str(line.get("typed", ""))}
        day_entries.test_boil(self._db, now, fields | confirmed_of(line, BOIL_KEYS))
        pressure = pressure_at(self._db, load_kitchen(self._db), now)
        assert pressure is not None
        today = thermometer_today(self._db, glass, pressure, now)
        return OK | {"offset_k": today.calibration.offset_k, "sigma_k": today.offset_sigma_k}

    # The boil

    def _take_in(self, line: Line) -> Answer:
        now = self._now(line)
        vessel = vessel_named(self._db, line)
        for key in ("amount_typed", "temperature_typed"):
            if line.get(key) is None:
                raise Unfit(**{key: _("Say it as it was typed.")})
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
        confirmed = confirmed_of(line, TAKE_IN_KEYS)
        self._batch = opening.open_batch(self._db, now, fields | confirmed, learnt_of(line))
        return OK | {"batch": self._batch}

    def _line(self, line: Line) -> Answer:
        now, at = self._now(line), self._at(line)
        kind, given = str(line.get("kind")), line.get("fields", {})
        if not self._batch:
            raise Unfit(line=_("Take a batch in first."))
        if not isinstance(given, dict) or not all(isinstance(v, str) for v in given.values()):
            raise Unfit(fields=_("Fields are text, as typed."))
        fields = dict(given)
        if "dipped_at" in given:
            # What is no moment with its zone is refused here: the form knows the kitchen's own too.
            moment_of(given["dipped_at"], "dipped_at")
        elif at != now:
            fields["at"] = f"{at.astimezone(UTC):%Y-%m-%d %H:%M:%S}"
        if "instrument" in fields:
            fields["instrument"] = instrument_named(self._db, fields["instrument"]).id
        if kind == "kettle":
            fields = kettle_truly(self._db, fields, at)
        if kind == "foam":
            fields.setdefault("defoamer", "oil")
        if kind == "jar":
            fields.setdefault("lot", self._batch)
        fields |= confirmed_of(line, {sums.SUMS: "line"})
        slip.put(self._db, self._batch, kind, fields, now)
        return OK

    def _strike(self, line: Line) -> Answer:
        """Strike the newest line of a kind that stands."""
        now, kind = self._now(line), str(line.get("kind"))
        if not self._batch:
            raise Unfit(line=_("Take a batch in first."))
        context = contexts.load(self._db, self._batch, now)
        standing = [e for e in context.current if e.kind == kind]
        if not standing:
            raise Unfit(kind=_("No line of the kind “{kind}” stands on the slip.", kind=kind[:20]))
        newest = max(standing, key=lambda e: (e.noted_at, e.at))
        slip.strike(self._db, self._batch, {"supersedes": newest.id, "why": "Struck"}, now)
        return OK

    def _samples(self, line: Line) -> Answer:
        device = instrument_named(self._db, line.get("instrument"))
        sent = line.get("samples")
        if not isinstance(sent, list):
            raise Unfit(samples=_("Samples are pairs of a moment and a value."))
        good: list[tuple[datetime, float]] = []
        for one in sent:
            try:
                at, value = one
                if not is_number(value):
                    continue
                good.append((moment_of(at, "samples"), float(value)))
            except (TypeError, ValueError, Unfit):
                continue
        if good:
            newest = max(at for at, _any in good)
            self._clock = newest if self._clock is None else max(self._clock, newest)
        if self._clock is None:
            raise Unfit(samples=_("Not one of them has a moment and a value."))
        kept = keep(self._db, device, good, self._clock)
        return OK | {"kept": kept, "refused": len(sent) - kept}

    def _ask(self, line: Line) -> Answer:
        now = self._now(line)
        if not self._batch:
            raise Unfit(line=_("Take a batch in first."))
        context = contexts.load(self._db, self._batch, now)
        return said_of(replace(context, now=now), board_of(context))
