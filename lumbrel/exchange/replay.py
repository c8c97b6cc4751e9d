"""A boil as JSON lines: played again in a throw-away record, through the services a page uses."""

import json
import logging
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime

from lumbrel.core.errors import OutOfRange
from lumbrel.exchange import replay_cook, replay_photograph, replay_sap
from lumbrel.exchange import replay_registered as registered
from lumbrel.exchange.replay_record import (
    WOODLOT,
    instrument_named,
    keep,
    kettle_truly,
    vessel_named,
)
from lumbrel.exchange.replay_words import (
    BOIL_KEYS,
    LINE_KEYS,
    OK,
    PRESSURE_KEYS,
    TAKE_IN_KEYS,
    Answer,
    Line,
    Unfit,
    confirmed_of,
    is_number,
    learnt_of,
    moment_of,
    named_of,
    refused_of,
    said_of,
)
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.day import entries as day_entries
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.day.thermometers import thermometer_today
from lumbrel.services.pan.board import board_of
from lumbrel.services.record import sums
from lumbrel.services.record.kept import ready
from lumbrel.services.stations import slip
from lumbrel.services.take_in import opening
from lumbrel.store import safe
from lumbrel.store.db import IdReused, connect, transaction
from lumbrel.store.instruments import ThermometerDetail, with_detail
from lumbrel.store.kitchen import (
    add_woodlot,
    load_kitchen,
)
from lumbrel.words import _

LOG = logging.getLogger("lumbrel.replay")


class Replay:
    """A kitchen in memory that answers one line after the other."""

    def __init__(self) -> None:
        self._begin()
        self._doings: dict[str, Callable[[Line], Answer]] = {
            "kitchen": lambda line: registered.kitchen(self._db, line, self._now(line)),
            "vessel": lambda line: registered.vessel(self._db, line),
            "instrument": lambda line: registered.instrument(self._db, line),
            "history": lambda line: registered.history(self._db, line, self._at(line)),
            "pressure": self._pressure,
            "test_boil": self._test_boil,
            "take_in": self._take_in,
            "cook": self._cook,
            "line": self._line,
            "woodlot": self._woodlot,
            "weather": lambda line: replay_sap.said_of_weather(self._db, line, self._now(line)),
            "gathered": self._gathered,
            "forecast": lambda line: replay_sap.forecast(self._db, line, self._now(line), self._taps),
            "photograph": lambda line: replay_photograph.photographed(line),
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
        self._taps: dict[str, float] = {}

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

    def _cook(self, line: Line) -> Answer:
        self._batch, said = replay_cook.cook(self._db, line, self._now(line))
        return said

    def _woodlot(self, line: Line) -> Answer:
        said = replay_sap.woodlot(self._db, line)
        self._taps[str(line["name"]).strip()] = float(line.get("taps", 1))
        return said

    def _gathered(self, line: Line) -> Answer:
        said = replay_sap.gathered(self._db, line, self._now(line))
        self._taps[str(line["woodlot"])] = float(line["taps"])
        return said

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
        fields = replay_cook.fields_of(kind, fields)
        if kind == "cooked":
            fields = replay_cook.last_read(contexts.load(self._db, self._batch, at)) | fields
        if kind == "kettle":
            fields = kettle_truly(self._db, fields, at)
        if kind == "foam":
            fields.setdefault("defoamer", "oil")
        if kind == "jar":
            fields.setdefault("lot", self._batch)
        own = {form: sent for sent, form in LINE_KEYS.get(kind, {}).items()}
        fields |= confirmed_of(line, {sums.SUMS: "line"} | own)
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
        context = replace(contexts.load(self._db, self._batch, now), now=now)
        if replay_cook.is_cook(context):
            return replay_cook.pot_said(context)
        return said_of(context, board_of(context))
