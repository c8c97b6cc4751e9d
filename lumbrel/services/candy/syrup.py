"""The syrup of a cook: a lot of the shelf or any other, its invert sugar, and what it is fit for."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.candy import setting
from lumbrel.core.candy.confections import Confection, confections
from lumbrel.core.candy.setting import Fit, Invert
from lumbrel.core.errors import OutOfRange
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.codes import called
from lumbrel.services.base.facts import InvertFacts
from lumbrel.services.base.form import Bounds, Form
from lumbrel.store import jars, kept_lots, record
from lumbrel.store.kept_lots import LotRow
from lumbrel.words import _, joined

DILUTION = Bounds(
    "dilution",
    "count",
    1,
    100,
    _("Type to how many parts one part of syrup was diluted, 1 to 100; usually 10."),
)
USUAL_DILUTION = 10.0
MOST_LOTS = 60
A_YEAR = 365.25
BETTER_BY = 0.05


@dataclass(frozen=True, kw_only=True)
class Suited:
    """A lot as it suits the confection that is looked at."""

    row: LotRow
    fit: Fit


@dataclass(frozen=True, kw_only=True)
class Syrup:
    """The syrup at hand."""

    lot: LotRow | None
    brix: float
    invert: Invert
    measured: bool
    sugar_kind: str
    fits: dict[str, Fit]
    """By the confection's key."""

    @property
    def invert_fraction(self) -> float:
        """Of its solids."""
        return min(max(self.invert.percent / self.brix, 0.0), 1.0)


def _lot_of(db: Connection, code: str) -> LotRow | None:
    owner = jars.lot_owner(db, code) if code else None
    of_batch = kept_lots.lot_rows_of(db, owner) if owner else []
    return next((row for row in of_batch if row.code == code), None)


def syrup_of(db: Connection, form: Form, now: datetime) -> Syrup | None:
    """The syrup a form names; None where something is wrong, noted on the form."""
    code = form.fields.get("lot", "").strip()
    lot = _lot_of(db, code)
    if code and (lot is None or lot.confection):
        form.errors["lot"] = _("There is no lot {code} of syrup on the shelf.", code=code[:24])
        return None
    if lot is not None and not lot.jars:
        form.errors["lot"] = _("Nothing of lot {lot_code} is left. Choose another.", lot_code=lot.code)
    brix = lot.brix if lot else form.between(BRIX)
    known = _measured(form) or (_noted(db, lot, now) if lot else None)
    if brix is None or form.errors:
        return None
    kind = lot.sugar_kind if lot else "maple"
    invert = known or _estimated(db, lot, now)
    fits = {piece.key: setting.fit(invert, piece) for piece in confections()}
    return Syrup(
        lot=lot,
        brix=min(max(brix, BRIX.low), BRIX.high),
        invert=invert,
        measured=known is not None,
        sugar_kind=kind,
        fits=fits,
    )


BRIX = Bounds("brix", "brix", 50, 80, _("Syrup for candy has between 50 and 80 Brix."))


def _measured(form: Form) -> Invert | None:
    if not form.given("meter"):
        return None
    dilution = form.between(DILUTION, required=False)
    try:
        shown = setting.reading(form.fields["meter"])
        return setting.measured(shown, dilution or USUAL_DILUTION)
    except OutOfRange as error:
        form.errors["meter"] = error.sentence
        return None


def _noted(db: Connection, lot: LotRow, now: datetime) -> Invert | None:
    """What a meter said of a lot's batch last."""
    batch = record.batch_by(db, id=lot.batch_id)
    last = contexts.of(db, batch, now).last(InvertFacts) if batch else None
    return Invert(last.facts.percent, last.facts.sigma_percent) if last else None


def _estimated(db: Connection, lot: LotRow | None, now: datetime) -> Invert:
    if lot is None:
        return setting.estimated("", "maple")
    first = kept_lots.first_of_season(db, lot.season)
    into = (lot.taken_at - first).days if first else 0
    years = max((now - lot.packed_at).days / A_YEAR, 0.0)
    return setting.estimated(lot.grade, lot.sugar_kind, into, years)


def better(db: Connection, piece: Confection, than: Fit, now: datetime) -> list[Suited]:
    """Lots on the shelf that suit a confection better than the syrup at hand, the best first."""
    found = []
    for row in kept_lots.newest_lots(db, limit=MOST_LOTS):
        if not row.jars or row.for_processing or row.confection:
            continue
        suits = setting.fit(_estimated(db, row, now), piece)
        if suits.right > than.right + BETTER_BY:
            found.append(Suited(row=row, fit=suits))
    return sorted(found, key=lambda one: -one.fit.right)[:4]


def lots_to_choose(db: Connection) -> list[tuple[str, str]]:
    """The newest lots with jars on the shelf, for a form."""
    known = kept_lots.newest_lots(db, limit=MOST_LOTS)
    rows = [row for row in known if row.jars and not row.confection]
    words = [
        (row.code, joined(", ", (row.code, called(row.sugar_kind), called(row.grade) or _("not graded"))))
        for row in rows
    ]
    return [("", _("other syrup")), *words]
