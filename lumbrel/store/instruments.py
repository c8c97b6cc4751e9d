"""The instruments of a kitchen, each with what its kind needs."""

import json
from dataclasses import dataclass, field, replace
from datetime import datetime
from sqlite3 import Connection
from typing import Annotated, Generic, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from lumbrel.store.db import instant, moment, once
from lumbrel.store.registered import Notes, State, change, in_force, register, states

SIXTY_F_C = (60.0 - 32.0) / 1.8


class Detail(BaseModel):
    """What is particular to a kind of instrument."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    kind: str
    calibrated_on: str = ""
    """The day of its calibration sheet, ISO 8601; empty when it has none."""


class ThermometerDetail(Detail):
    """A thermometer; one in the cup stands in the hydrometer cup, not in a vessel, one outdoors in the shade."""

    kind: Literal["thermometer"] = "thermometer"
    sort: Literal["digital", "dial", "glass"] = "digital"
    resolution_k: float = 0.0
    immersion_mm: float | None = None
    in_the_cup: bool = False
    outdoors: bool = False
    tank_id: str = ""
    """The sap tank that it hangs in; empty for none."""


class PrintedMark(BaseModel):
    """A mark printed for hot syrup: where it floats, at which heat, and what that means."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    reading_brix: float
    temperature_c: float
    true_brix: float


class HydrometerDetail(Detail):
    """A stem: its scale, where that is true, its glass."""

    kind: Literal["hydrometer"] = "hydrometer"
    scale_low_brix: float = 0.0
    scale_high_brix: float = 85.0
    glass: Literal["soda-lime", "borosilicate"] = "soda-lime"
    calibration_temperature_c: float = SIXTY_F_C
    baume: bool = False
    hot_mark: PrintedMark | None = None


class RefractometerDetail(Detail):
    """A prism: its range, and whether it compensates for temperature."""

    kind: Literal["refractometer"] = "refractometer"
    range_low_brix: float = 0.0
    range_high_brix: float = 85.0
    compensated: bool = False


class BarometerDetail(Detail):
    """A barometer shows the pressure here, or reduced to sea level."""

    kind: Literal["barometer"] = "barometer"
    shows: Literal["station", "sea-level"] = "station"


class VialDetail(Detail):
    """A vial: how much syrup light passes through in it."""

    kind: Literal["vial"] = "vial"
    path_mm: float


class ReferenceDetail(Detail):
    """A set of colour references, and the path they are made for."""

    kind: Literal["reference"] = "reference"
    path_mm: float
    made_of: Literal["glass", "liquid"]


class DipstickDetail(Detail):
    """The dipstick is everybody's and never registered."""

    kind: Literal["depth"] = "depth"


class ScaleDetail(Detail):
    """A scale that speaks by itself; one under a vessel weighs what boils there. As everybody has one and reads it,
    it is never registered."""

    kind: Literal["scale"] = "scale"


class SignsDetail(Detail):
    """What is seen at the pan; it belongs to nobody and is never registered."""

    kind: Literal["sign"] = "sign"


AnyDetail = (
    ThermometerDetail
    | HydrometerDetail
    | RefractometerDetail
    | BarometerDetail
    | VialDetail
    | ReferenceDetail
    | ScaleDetail
)
DETAIL: TypeAdapter[AnyDetail] = TypeAdapter(Annotated[AnyDetail, Field(discriminator="kind")])
D = TypeVar("D", bound=Detail, covariant=True)


@dataclass(frozen=True, kw_only=True)
class Instrument(Generic[D]):
    """A registered instrument; `detail` holds what its kind needs.

    `vessel_id` is set for a probe that stands in a vessel.
    """

    id: str
    name: str
    detail: D
    vessel_id: str | None = None
    retired_at: datetime | None = None
    registered_at: datetime | None = None
    history: Notes["Instrument[Detail]"] = field(default=(), compare=False, repr=False)
    """What it was registered as before, by since when; read, never written."""

    def as_of(self, at: datetime) -> "Instrument[Detail]":
        """As it was registered at a moment."""
        mine: Instrument[Detail] = self
        then = in_force(self.history, at, mine)
        return replace(then, retired_at=self.retired_at, history=self.history)

    def in_use(self, at: datetime) -> bool:
        """Whether it was registered at a moment, and not retired yet."""
        begun = self.registered_at is None or self.registered_at <= at
        return begun and (self.retired_at is None or self.retired_at > at)

    @property
    def kind(self) -> str:
        return self.detail.kind


def add_instrument(db: Connection, instrument: Instrument[Detail]) -> None:
    """Register an instrument; the same id twice is written once.

    Raises:
        IdReused: the id is another instrument's.
    """
    detail = instrument.detail.model_dump(exclude={"kind"}, exclude_unset=True)
    row = {
        "id": instrument.id,
        "kind": instrument.kind,
        "name": instrument.name,
        "detail": json.dumps(detail),
        "vessel_id": instrument.vessel_id,
        "registered_at": instant(instrument.registered_at) if instrument.registered_at else None,
    }
    register(db, "instrument", row, ("kind", "name", "detail", "vessel_id"))


def change_instrument(
    db: Connection, instrument: Instrument[Detail], since: datetime, noted_at: datetime, initials: str = ""
) -> None:
    """Register an instrument anew, from a moment on; what it was is kept.

    Raises:
        sqlite3.IntegrityError: the name is another one's.
    """
    detail = instrument.detail.model_dump(exclude={"kind"}, exclude_unset=True)
    after = {"name": instrument.name, "detail": json.dumps(detail), "vessel_id": instrument.vessel_id}
    change(db, "instrument", instrument.id, after, since=since, noted_at=noted_at, initials=initials)


def _every(db: Connection) -> list[Instrument[Detail]]:
    changed = states(db, "instrument")
    found = []
    for row in db.execute("SELECT * FROM instrument ORDER BY rowid"):
        now = _instrument(dict(row))
        past = ((at, _instrument(dict(row) | state)) for at, state in changed.get(now.id, ()))
        found.append(replace(now, history=tuple(past)))
    return found


def _instrument(row: State) -> Instrument[Detail]:
    return Instrument(
        id=row["id"],
        name=row["name"],
        detail=DETAIL.validate_python({"kind": row["kind"], **json.loads(row["detail"])}),
        vessel_id=row["vessel_id"],
        retired_at=moment(row["retired_at"]) if row["retired_at"] else None,
        registered_at=moment(row["registered_at"]) if row["registered_at"] else None,
    )


def instruments(db: Connection, *, retired: bool = False) -> list[Instrument[Detail]]:
    """All instruments in the order they were registered.

    Those in use only, unless `retired` asks for the others as well.
    """
    every = once(db, "instruments", lambda: _every(db))
    return [one for one in every if retired or one.retired_at is None]


def instruments_of(db: Connection, detail: type[D], at: datetime | None = None) -> list[Instrument[D]]:
    """Instruments of one kind in use, now or at a moment, in the order they were registered."""
    every = instruments(db, retired=at is not None)
    kinds = (found for found in every if isinstance(found.detail, detail))
    then = (one if at is None else one.as_of(at) for one in kinds)
    used = (one for one in then if at is None or one.in_use(at))
    return [one for found in used if (one := with_detail(found, detail))]


def with_detail(instrument: Instrument[Detail], detail: type[D]) -> Instrument[D] | None:
    """The instrument itself when it is of that kind."""
    return instrument if isinstance(instrument.detail, detail) else None  # type: ignore[return-value]


def scale_of(instrument: Instrument[Detail]) -> tuple[float, float]:
    """Where the scale of a hydrometer or refractometer begins and ends, Brix."""
    detail = instrument.detail
    if isinstance(detail, HydrometerDetail):
        return detail.scale_low_brix, detail.scale_high_brix
    if isinstance(detail, RefractometerDetail):
        return detail.range_low_brix, detail.range_high_brix
    return 0.0, 85.0


def retire_instrument(
    db: Connection, instrument_id: str, now: datetime, *, retired: bool = True, initials: str = ""
) -> None:
    """Retire an instrument, or take it into use again."""
    row = db.execute("SELECT retired_at FROM instrument WHERE id = ?", (instrument_id,)).fetchone()
    if bool(row["retired_at"]) == retired:
        return
    after = {"retired_at": instant(now) if retired else None}
    change(db, "instrument", instrument_id, after, since=now, noted_at=now, initials=initials)
