"""The cold-water test: what a drop of the boil does in a cup of cold water tells how hot it is, to some
degrees, without a thermometer."""

from dataclasses import dataclass

from lumbrel.words import _


@dataclass(frozen=True, kw_only=True)
class ColdWaterSign:
    """What a drop does, and the boil that it belongs to, K above water."""

    key: str
    name: str
    looks: str
    low_k: float
    high_k: float

    @property
    def middle_k(self) -> float:
        """The middle of its boil."""
        return (self.low_k + self.high_k) / 2

    @property
    def sigma_k(self) -> float:
        """One sigma of a boil that is known by it: the band is read by a hand, and its edges run."""
        return (self.high_k - self.low_k) / 3 + 0.7


def _sign(key: str, name: str, looks: str, low_f: float, high_f: float) -> ColdWaterSign:
    return ColdWaterSign(key=key, name=name, looks=looks, low_k=low_f / 1.8, high_k=high_f / 1.8)


SIGNS: tuple[ColdWaterSign, ...] = (
    _sign("thread", _("Thread"), _("It spins a soft thread and dissolves."), 18, 22),
    _sign("soft_ball", _("Soft ball"), _("A ball that flattens when it is lifted out."), 22, 28),
    _sign("firm_ball", _("Firm ball"), _("A ball that keeps its shape until it is pressed."), 31, 38),
    _sign("hard_ball", _("Hard ball"), _("A ball that resists the fingers."), 38, 55),
    _sign("soft_crack", _("Soft crack"), _("Threads that bend before they break."), 58, 78),
    _sign("hard_crack", _("Hard crack"), _("Threads that snap."), 86, 98),
)
"""Bands above water as the trade has them, degF."""
BY_KEY = {sign.key: sign for sign in SIGNS}


def likely_sign(above_k: float) -> ColdWaterSign:
    """What a drop of a boil so far above water would do, most likely."""
    return min(SIGNS, key=lambda s: max(s.low_k - above_k, above_k - s.high_k, 0.0))
