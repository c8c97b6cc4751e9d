"""What a batch begins with."""

from typing import Literal

from lumbrel.services.base.facts.kind import Facts, FromTank, Learnt, Part


class TakeInFacts(Facts):
    """Near-syrup came into a vessel. `brix` is corrected, `brix_read` as it was told or read."""

    kind: Literal["take_in"] = "take_in"
    mass_kg: float
    brix: float
    temperature_c: float
    amount_by: Literal["mass", "volume", "depth"]
    amount: float
    brix_read: float
    target_brix: float
    water_kg: float
    vessel_id: str
    sugar_kind: str
    brix_sigma: float | None = None
    """Given when nobody measured it: then `brix` is a guess, from the sap or from nothing."""
    sap_kg: float | None = None
    """All the raw sap that it came from."""
    tree: str = ""
    learnt: Learnt | None = None
    """None when nothing was taught before."""
    parts: tuple[Part, ...] = ()
    """What came from which woodlot; left out, all of it from the woodlot the batch names."""
    tanks: tuple[FromTank, ...] = ()
    """Sap for a boil-down, from the tanks that gave it."""
    from_batch_id: str = ""
    """It was poured on from the pan of a boil-down, or from what was drawn of it."""
    from_stage: Literal["charge", "bulk"] = "charge"
    """Whether that came from its pan, all of it, or from its kettle."""
    channels: int = 0
    """Of a continuous pan, that sap runs through one after the other; 0 where it boils down as a whole."""
    setup: str = ""
    """Over what fire a boil-down was lit."""
    fuel: str = ""
    """And what burns in it."""


BathKey = Literal["bench", "water", "ice"]


class CookFacts(Facts):
    """Syrup came into a candy pot, to be cooked to a confection. `target_brix` are the solids that its
    boil leaves; the mark is `above_water_k` above boiling water."""

    kind: Literal["cook"] = "cook"
    mass_kg: float
    brix: float
    temperature_c: float
    target_brix: float
    water_kg: float
    vessel_id: str
    sugar_kind: str
    brix_sigma: float | None = None
    learnt: Learnt | None = None
    parts: tuple[Part, ...] = ()
    """Of syrup that comes from a woodlot: what came from which."""
    piece: str
    above_water_k: float
    stir_c: float | None = None
    """Where stirring begins, or where it is poured; None where it rests and is poured."""
    serving_c: float = 20.0
    bath: BathKey = "bench"
    invert_percent: float
    invert_sigma: float
    loss: float
    """Share of the confection that stays in this pot, as it was held then."""
    from_lot: str = ""
    """Jars of a lot were opened into the pot."""
    jars: tuple[tuple[float, int], ...] = ()
    rest_kg: float = 0.0
    """What of those jars was not put in."""
    pieces: int | None = None
    each_kg: float | None = None


OpenedFacts = TakeInFacts | CookFacts
"""What a batch begins with."""
