"""What is in each tank: its lines played through."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.sap import keeping, sap
from lumbrel.services.base.cache import cache_of, last_line, record_key
from lumbrel.services.base.entry import Entry, lines_about, read
from lumbrel.services.base.facts import Facts
from lumbrel.services.base.form import Form, local_time
from lumbrel.services.sap.contents import (
    INSIDE_C,
    NOTHING_L,
    SNOW_C,
    Content,
    Outside,
    TankStep,
    TankView,
    tank_of,
)
from lumbrel.services.sap.facts import GatheredFacts, IceOffFacts, MovedFacts, OutFacts, WarmFacts
from lumbrel.store import book, sap_weather
from lumbrel.store import sap as store
from lumbrel.store.kitchen import Kitchen, load_kitchen, woodlots
from lumbrel.store.sap import Tank
from lumbrel.words import _, number

AHEAD = timedelta(days=12)
RESTS_ON = ("tank", "woodlot", "weather", "setting", "struck")
"""Lines of which what stands in tanks follows, besides what went into pans."""
LOOKED_AHEAD = timedelta(minutes=30)
"""So long what was seen ahead is not looked for again."""
HOLDS = timedelta(hours=12)
"""A temperature that was read tells of so long before and after it."""
LAST_RESORT_C = 6.0
REASONS = {
    "cloudy": _("cloudy"),
    "ropy": _("ropy"),
    "sour": _("sour"),
    "old": _("older than it keeps"),
    "spilt": _("spilt"),
    "given": _("given away"),
    "drunk": _("drunk as it was"),
}
LONG_SPOILT = 3.0
"""Of its life: nobody counts on."""
SLACK = 1.02
"""A dipstick and a bucket agree to some percent: so much more may leave than is there."""


def views(db: Connection, now: datetime, but: str = "") -> list[TankView]:
    """All tanks. Every page says how they stand: their lines are played once, as long as no other comes.

    Args:
        but: a line that does not count, since it is being put right.
    """
    found = store.tanks(db)
    if not found:
        return []
    if db.in_transaction or but:
        return _played(db, found, now, but).views(now)
    key = (
        record_key(db),
        last_line(db, *RESTS_ON),
        store.draws_stamp(db),
        tuple(found),
        tuple(woodlots(db)),
        local_time(now, load_kitchen(db)).date(),
    )
    shelf = cache_of(db).shelf("tanks", 4)
    with shelf.lock:
        played: Played | None = shelf.peek(key)
        if played is None or played.until > now:
            played = _played(db, found, now)
            shelf.put(key, played)
        return played.views(now)


def _played(db: Connection, found: list[Tank], now: datetime, but: str = "") -> "Played":
    kitchen = load_kitchen(db)
    local = local_time(now, kitchen)
    # Sap never stands over a summer.
    since = datetime(local.year - (local.month < 7), 7, 1, tzinfo=UTC)
    outside = Outside(kitchen, sap_weather.known(db, since.date(), (now + AHEAD).date()))
    return Played(db, kitchen, outside, found, since=since, now=now, but=but)


def view(db: Connection, tank_id: str, now: datetime, but: str = "") -> TankView:
    """One tank; sap that was pumped over comes with its other tank's history."""
    wanted = tank_of(db, tank_id)
    return next(v for v in views(db, now, but) if v.tank.id == wanted.id)


@dataclass(frozen=True)
class _Event:
    at: datetime
    tank_id: str
    line: Entry[Facts] | None = None
    draw: store.Draw | None = None


def _lines_of(db: Connection, tank_id: str, since: datetime) -> list[Entry[Facts]]:
    """What was ever gathered into a tank, and what was said of it since a moment, oldest first; of one moment
    in the order they were written, a corrected line in the place of the one that it corrects."""
    gathered = [read(row) for row in store.into_tank(db, tank_id, since)]
    lines = [*lines_about(db, tank_id, since), *gathered]
    return sorted(lines, key=lambda line: (line.at, book.place_of(db, line.seq, line.supersedes)))


class Played:
    """The tanks' books played from the first line on, up to a moment."""

    def __init__(
        self,
        db: Connection,
        kitchen: Kitchen,
        outside: Outside,
        tanks: list[Tank],
        *,
        since: datetime,
        now: datetime,
        but: str = "",
    ) -> None:
        self._kitchen, self._outside, self.until = kitchen, outside, now
        self._tanks = {tank.id: tank for tank in tanks}
        self._warm: dict[str, list[tuple[datetime, float]]] = {tank.id: [] for tank in tanks}
        self.contents = {tank.id: Content(at=since) for tank in tanks}
        self.steps: dict[str, list[TankStep]] = {tank.id: [] for tank in tanks}
        self.over = dict.fromkeys(self._tanks, 0.0)
        self.spilled = dict.fromkeys(self._tanks, 0.0)
        self.gone: dict[str, dict[str, tuple[float, float]]] = {tank.id: {} for tank in tanks}
        self._names = {w.id: w.name for w in woodlots(db)}
        events = []
        for tank in tanks:
            for line in _lines_of(db, tank.id, since):
                if line.id == but:
                    continue
                if isinstance(line.facts, WarmFacts):
                    self._warm[tank.id].append((line.at, line.facts.temperature_c))
                events.append(_Event(line.at, tank.id, line=line))
            events += [_Event(draw.at, tank.id, draw=draw) for draw in store.draws(db, tank.id, since, but)]
        for event in sorted(events, key=lambda event: event.at):
            if event.at <= now:
                self._play(event)
        self._due: dict[str, tuple[datetime, datetime | None]] = {}

    def _temperature(self, tank: Tank, at: datetime) -> tuple[float, str]:
        read = [(abs(when - at), c) for when, c in self._warm[tank.id] if abs(when - at) <= HOLDS]
        if read:
            return min(read)[1], "read"
        out = self._outside.temperature_c(at)
        if tank.place == "inside":
            return INSIDE_C, _("as inside")
        if tank.place == "snow":
            return (SNOW_C if out is None else min(max(out, 0.0), 2.0)), _("as in snow")
        return (LAST_RESORT_C, _("not known")) if out is None else (out, _("by the weather"))

    def course(self, tank: Tank, start: datetime, end: datetime) -> list[tuple[datetime, float]]:
        """The temperatures of a tank, every two hours; sap follows the air by some hours' mean."""
        found, at = [], start
        known: dict[datetime, float] = {}
        while True:
            for hours in (-4, -2, 0):
                moment = at + timedelta(hours=hours)
                if moment not in known:
                    known[moment] = self._temperature(tank, moment)[0]
            near = [known[at + timedelta(hours=hours)] for hours in (-4, -2, 0)]
            found.append((at, sum(near) / len(near)))
            if at >= end:
                return found
            at = min(at + timedelta(hours=2), end)

    def _age(self, tank_id: str, held: Content, at: datetime) -> None:
        if held.litres >= NOTHING_L and at > held.at and held.used < LONG_SPOILT:
            course = self.course(self._tanks[tank_id], held.at, at)
            held.used += keeping.used_between(course, held.at, at)
        held.at = at

    def _play(self, event: _Event) -> None:
        held = self.contents[event.tank_id]
        self._age(event.tank_id, held, event.at)
        words = ""
        if event.draw is not None:
            self._take(event.tank_id, event.draw.mass_kg)
            words = _("into a pan")
        elif event.line is not None:
            words = self._line(event.tank_id, event.line)
        if words:
            batch = event.draw.batch_code if event.draw else ""
            self.steps[event.tank_id].append(TankStep(event.at, words, held.litres, event.line, batch))

    def _line(self, tank_id: str, line: Entry[Facts]) -> str:
        held, facts = self.contents[tank_id], line.facts
        show = Form({}, self._kitchen).show
        if isinstance(facts, GatheredFacts):
            return self._gathered(tank_id, facts, line, show)
        if isinstance(facts, MovedFacts):
            taken = self._take(tank_id, sap.mass_kg(facts.litres, held.brix))
            self._age(facts.to_tank, self.contents[facts.to_tank], line.at)
            other = self.contents[facts.to_tank]
            other.add(taken)
            words = _(
                "{litres} from {tanks}", litres=show(facts.litres, "volume"), tanks=self._tanks[tank_id].name
            )
            self.steps[facts.to_tank].append(TankStep(line.at, words, other.litres, line))
            return _(
                "{litres} into {tanks}",
                litres=show(facts.litres, "volume"),
                tanks=self._tanks[facts.to_tank].name,
            )
        if isinstance(facts, OutFacts):
            out = self._take(tank_id, sap.mass_kg(facts.litres, held.brix))
            self._let_go(tank_id, facts.reason, facts.litres, out.solids_kg)
            return _(
                "{litres} taken out: {REASONS}",
                litres=show(facts.litres, "volume"),
                REASONS=REASONS[facts.reason],
            )
        if isinstance(facts, IceOffFacts):
            # Ice is let go without its share of each woodlot's sugar going wrong.
            share = min(facts.ice_kg * facts.ice_brix / 100 / max(held.solids_kg, 1e-9), 1.0)
            self._let_go(tank_id, "ice", facts.ice_kg, held.solids_kg * share)
            held.mass_kg = max(held.mass_kg - facts.ice_kg, 0.0)
            held.solids_kg *= 1 - share
            kept = held.mass_kg / max(held.mass_kg + facts.ice_kg, 1e-9)
            held.by_woodlot = {w: (m * kept, s * (1 - share)) for w, (m, s) in held.by_woodlot.items()}
            return _("{ice} of ice off", ice=show(facts.ice_kg, "mass"))
        if isinstance(facts, WarmFacts):
            return _("{temperature} in it", temperature=show(facts.temperature_c, "temperature"))
        return ""

    def _gathered(
        self, tank_id: str, facts: GatheredFacts, line: Entry[Facts], show: Callable[..., str]
    ) -> str:
        held = self.contents[tank_id]
        woodlot = line.about_id
        solids = facts.mass_kg * facts.brix / 100
        came = Content(
            mass_kg=facts.mass_kg,
            solids_kg=solids,
            variance=(facts.mass_kg * facts.sigma_brix / 100) ** 2,
            used=facts.used,
            at=line.at,
            oldest=line.at,
            by_woodlot={woodlot: (facts.mass_kg, solids)},
            cloudy=facts.clarity != "clear",
        )
        litres = came.litres
        held.add(came)
        capacity = self._tanks[tank_id].capacity_l
        if held.litres > capacity * SLACK:
            self.spilled[tank_id] += held.litres - capacity
        return _(
            "{litres} from {get} at {brix} °Bx",
            litres=show(litres, "volume"),
            get=self._names.get(woodlot, "?"),
            brix=number(facts.brix, 1),
        )

    def _let_go(self, tank_id: str, reason: str, litres: float, solids_kg: float) -> None:
        had = self.gone[tank_id].get(reason, (0.0, 0.0))
        self.gone[tank_id][reason] = (had[0] + litres, had[1] + solids_kg)

    def _take(self, tank_id: str, mass_kg: float) -> Content:
        held = self.contents[tank_id]
        if mass_kg > held.mass_kg * SLACK + NOTHING_L:
            self.over[tank_id] += sap.litres(mass_kg - held.mass_kg, held.brix or 2.0)
        return held.take(mass_kg)

    def views(self, now: datetime) -> list[TankView]:
        """The tanks as they stand at a moment after the last line."""
        return [self._view(tank, now) for tank in self._tanks.values()]

    def _view(self, tank: Tank, now: datetime) -> TankView:
        played = self.contents[tank.id]
        held = replace(played, by_woodlot=dict(played.by_woodlot))
        self._age(tank.id, held, now)
        warm, by = self._temperature(tank, now)
        held.warm_c = warm
        return TankView(
            tank=tank,
            content=held,
            steps=tuple(self.steps[tank.id]),
            boil_by=self._boil_by(tank, held, now),
            warm_c=warm,
            warm_by=by,
            over=self.over[tank.id],
            spilled_over=self.spilled[tank.id],
            gone=self.gone[tank.id],
        )

    def _boil_by(self, tank: Tank, held: Content, now: datetime) -> datetime | None:
        """By when its sap must be boiled; the moment stays the same until something happens to it."""
        if held.litres < NOTHING_L:
            return None
        found, by = self._due.get(tank.id, (None, None))
        if found is None or not found <= now < found + LOOKED_AHEAD:
            ahead = self.course(tank, now, now + timedelta(days=10))
            by = keeping.boil_by(ahead, now, held.used)
            self._due[tank.id] = now, by
        return by
