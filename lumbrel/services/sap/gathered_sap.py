"""Gathered sap as it is typed."""

from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta
from math import hypot
from sqlite3 import Connection

from lumbrel.core.errors import OutOfRange
from lumbrel.core.sap import keeping, running, sap
from lumbrel.services.base import book
from lumbrel.services.base.book import Draft
from lumbrel.services.base.entry import newest, preview
from lumbrel.services.base.facts import HydrometerFacts, ReadingFacts, RefractometerFacts
from lumbrel.services.base.form import Bounds, Form, local_time
from lumbrel.services.bench.correct import Corrector
from lumbrel.services.sap import contents, played, tanks, trees
from lumbrel.services.sap.facts import GatheredFacts
from lumbrel.services.sap.gathering import BY, GatheredSugar, stems_of, usual_sugar
from lumbrel.store import sap as store
from lumbrel.store import sap_weather
from lumbrel.store.instruments import HydrometerDetail, Instrument, RefractometerDetail, instruments_of
from lumbrel.store.kitchen import Kitchen, woodlots
from lumbrel.words import _, bare, joined, number

LITRES = Bounds(
    "litres",
    "volume",
    0,
    100_000,
    _("Type how much was gathered, up to 100 000 L; 0 where nothing was there."),
)
OF_TREE = Bounds("litres", "volume", 0.0, 500, _("A tree gives between 0 and 500 L."))
TAPS = Bounds("taps", "count", 1, 20_000, _("Type from how many taps, 1 to 20 000."))
BRIX = Bounds("brix", "stem", -1, 32, _("Type the reading, between −1 and 32 Brix."))
WARM = Bounds(
    "temperature",
    "temperature",
    -10,
    40,
    _("The sap temperature must be between −10 and 40 °C (14 and 104 °F)."),
)
ICE = Bounds("ice", "mass", 0.0, 50_000, _("Type how much ice was thrown off, 0 to 50 000 kg."))
SAMPLE = Bounds(
    "sample",
    "temperature",
    0,
    40,
    _(
        "The sample temperature must be between 0 and 40 °C (32 and 104 °F); a drop has a "
        "number between 10 and 30 °C only."
    ),
)
CLARITY = {
    "clear": _("clear as water"),
    "cloudy": _("cloudy"),
    "yellow": _("yellowish, late"),
    "ropy": _("ropy or sour"),
}
TOLD_SIGMA = 0.3
MOST_DAYS = 3
"""What was gathered is of so many days at the most."""
SAME_DAY_HOURS = 6.0
LITRES_SIGMA = 0.02
PER_TAP_L = 20.0


def gather(db: Connection, fields: Mapping[str, str], now: datetime) -> None:
    """Note a collection.

    Raises:
        BadInput: a field is wrong, or something must be asked.
    """

    def read(form: Form, at: datetime) -> list[Draft]:
        return _Collection(db, form, at).drafts()

    book.write(
        db,
        fields,
        now,
        read,
        lambda form: tanks.refuse_what_is_not_there(db, now, form, "litres") if fields.get("tank") else None,
    )


class _Collection:
    """One collection as it is read from its form."""

    def __init__(self, db: Connection, form: Form, at: datetime) -> None:
        self._db, self._form, self._at = db, form, at
        known = [w.id for w in woodlots(db)]
        self._woodlot = form.choice("woodlot", known, _("Choose the woodlot it comes from."))
        self._trees = store.trees(db, self._woodlot) if self._woodlot else []

    def drafts(self) -> list[Draft]:
        form, db = self._form, self._db
        by_tree = self._by_tree()
        litres = sum(by_tree.values()) if by_tree else form.between(LITRES)
        taps = self._taps(by_tree)
        celsius = form.between(WARM, required=False)
        clarity = form.choice(
            "clarity", CLARITY, _("Choose one: {values}.", values=joined(", ", CLARITY.values()))
        )
        ice = form.between(ICE, required=False) or 0.0
        tank = form.text("tank")
        if tank == store.PAILS:
            tank = tanks.in_pails(db).id
        if tank and tank not in {t.id for t in store.tanks(db)}:
            form.errors["tank"] = _("Choose the tank it went into.")
        sugar = self._sugar()
        if form.errors or litres is None or taps is None or sugar is None:
            return []
        if litres > 0:
            self._ask(litres, taps, sugar)
        facts = self._facts(litres, taps, sugar, celsius=celsius, clarity=clarity, ice=ice, by_tree=by_tree)
        if facts is None:
            return []
        if tank and litres > 0:
            facts = facts.model_copy(update={"tank_id": tank})
        return [Draft(facts, "woodlot", self._woodlot)]

    def _by_tree(self) -> dict[str, float]:
        """Litres by tree, where they were noted one by one."""
        form, found = self._form, {}
        for tree in self._trees:
            name = f"litres_{tree.id}"
            if form.given(name):
                litres = form.between(OF_TREE._replace(name=name))
                if litres:
                    found[tree.id] = litres
        return found

    def _taps(self, by_tree: dict[str, float]) -> float | None:
        """From how many taps: typed, or those that were drilled this season."""
        if self._form.given("taps"):
            return self._form.between(TAPS)
        season = trees.season_of(self._at, self._form.kitchen)
        drilled = store.taps_of(self._db, self._woodlot, season) if self._woodlot else {}
        if by_tree:
            drilled = {tree: n for tree, n in drilled.items() if tree in by_tree}
            for tree in by_tree:
                drilled.setdefault(tree, 1)
        if drilled:
            return float(sum(drilled.values()))
        last = newest(self._db, GatheredFacts, self._woodlot, limit=1)
        if last and last[0].at.year == self._at.year:
            return float(last[0].facts.taps)
        self._form.errors["taps"] = TAPS.sentence
        return None

    def _sugar(self) -> GatheredSugar | None:
        form = self._form
        by = form.choice(
            "brix_by", BY, _("Say how its sugar was read: {values}.", values=joined(", ", BY.values()))
        )
        if by == "usual":
            known = next((w for w in woodlots(self._db) if w.id == self._woodlot), None)
            return GatheredSugar(*usual_sugar(self._trees, known), by) if known else None
        reading = form.between(BRIX)
        if reading is None or not by:
            return None
        if by == "told":
            return self._checked(GatheredSugar(reading, TOLD_SIGMA, by))
        sample = form.between(SAMPLE)
        if sample is None:
            return None
        facts: ReadingFacts
        instruments: Sequence[Instrument[HydrometerDetail] | Instrument[RefractometerDetail]]
        if by == "refractometer":
            instruments = instruments_of(self._db, RefractometerDetail)
            if not instruments:
                form.errors["brix_by"] = _("No refractometer is registered here.")
                return None
            facts = RefractometerFacts(
                instrument_id=instruments[0].id,
                reading_brix=reading,
                sample_c=sample,
                compensated=form.ticked("compensated"),
            )
        else:
            instruments = stems_of(self._db)
            if not instruments:
                form.errors["brix_by"] = _("No hydrometer with a scale for sap is registered here.")
                return None
            facts = HydrometerFacts(instrument_id=instruments[0].id, reading_brix=reading, cup_c=sample)
        kitchen = form.kitchen
        corrector = Corrector(
            self._db, kitchen, sugar_kind="maple", methods=kitchen.methods, instruments=instruments
        )
        found = corrector.correct(preview(facts, self._at))
        if found.brix is None or found.sigma_brix is None:
            form.errors["sample"] = found.refusal or SAMPLE.sentence
            return None
        return self._checked(GatheredSugar(found.brix, found.sigma_brix, by))

    def _checked(self, sugar: GatheredSugar) -> GatheredSugar | None:
        try:
            sap.require_sap(sugar.brix)
        except OutOfRange as error:
            self._form.errors["brix"] = error.sentence
            return None
        return sugar

    def _ask(self, litres: float, taps: float, sugar: GatheredSugar) -> None:
        form = self._form
        if sugar.brix > sap.USUAL_MOST_BRIX:
            form.ask(
                "brix",
                _(
                    "{brix} Brix is much for sap; mostly it is 1 to 3. Is that right?",
                    brix=number(sugar.brix, 1),
                ),
            )
        if litres / taps > PER_TAP_L * MOST_DAYS:
            form.ask(
                "litres",
                _(
                    "That is {litres} from each of {taps} taps. Is that right?",
                    litres=form.show(litres / taps, "volume"),
                    taps=bare(taps),
                ),
            )

    def _facts(
        self,
        litres: float,
        taps: float,
        sugar: GatheredSugar,
        *,
        celsius: float | None,
        clarity: str,
        ice: float,
        by_tree: dict[str, float],
    ) -> GatheredFacts | None:
        form = self._form
        warm = 4.0 if celsius is None else celsius
        whole = sap.mass_kg(litres, sugar.brix, warm)
        mass, brix, sigma, ice_brix = whole, sugar.brix, sugar.sigma, 0.0
        if ice:
            try:
                left = sap.without_ice(whole, sugar.brix, ice, sugar.sigma)
            except OutOfRange as error:
                form.errors[error.field] = error.sentence
                return None
            mass, brix, sigma, ice_brix = left.mass_kg, left.brix, left.brix_sigma, left.ice_brix
        solids = mass * brix / 100
        days = self._days(litres, solids)
        return GatheredFacts.model_validate(
            {
                "litres": litres,
                "mass_kg": mass,
                "brix": brix,
                "sigma_brix": hypot(sigma, LITRES_SIGMA * brix),
                "by": sugar.by,
                "temperature_c": warm,
                "clarity": clarity,
                "taps": taps,
                "days": days,
                "trees": [(tree, part, solids * part / max(litres, 1e-9)) for tree, part in by_tree.items()],
                "used": self._used(len(days)),
                "ice_kg": ice,
                "ice_brix": ice_brix,
            }
        )

    def _days(self, litres: float, solids: float) -> list[tuple[str, float, float]]:
        """The days since the last collection, each with its part as frost and thaw had it run."""
        kitchen = self._form.kitchen
        today = local_time(self._at, kitchen).date()
        last = _last_day(self._db, self._woodlot, self._at, kitchen)
        back = (today - last).days if last else 1
        days = [today - timedelta(days=i) for i in range(min(max(back, 1), MOST_DAYS) - 1, -1, -1)]
        known = sap_weather.known(self._db, days[0], today)
        if len(days) == 1 or any(day not in known for day in days):
            shares = [1 / len(days)] * len(days)
        else:
            weather = [running.Weather(known[d].night_c, known[d].day_c) for d in days]
            held = running.Wood().mornings(weather)
            shares = list(running.shared_out(1.0, list(zip(weather, held, strict=True))))
        return [
            (day.isoformat(), litres * share, solids * share) for day, share in zip(days, shares, strict=True)
        ]

    def _used(self, days: int) -> float:
        """Of its life, what it used up in the buckets: half the time since they were emptied."""
        hours = SAME_DAY_HOURS if days == 1 else 12.0 * days
        kitchen, start = self._form.kitchen, self._at - timedelta(hours=hours)
        known = sap_weather.known(self._db, start.date() - timedelta(days=1), self._at.date())
        outside = contents.Outside(kitchen, known)
        step = timedelta(hours=2)
        course = []
        while start <= self._at:
            celsius = outside.temperature_c(start)
            course.append((start, played.LAST_RESORT_C if celsius is None else celsius))
            start += step
        return keeping.used_between(course, course[0][0], self._at)


def _last_day(db: Connection, woodlot_id: str, before: datetime, kitchen: Kitchen) -> date | None:
    """The day of a woodlot's last collection before a moment."""
    rows = newest(db, GatheredFacts, woodlot_id, limit=20)
    earlier = [row.at for row in rows if row.at < before]
    return local_time(max(earlier), kitchen).date() if earlier else None
