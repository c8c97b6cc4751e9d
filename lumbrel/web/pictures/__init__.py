"""Geometry of the pictures. Positions only: every figure in them comes from a service."""

from lumbrel.web.pictures.bench import curve, drift, pairs
from lumbrel.web.pictures.ladder import ladder
from lumbrel.web.pictures.pan import agreement, cup, section
from lumbrel.web.pictures.shelf import firmness, grade_key, season

__all__ = [
    "agreement", "cup", "curve", "drift", "firmness", "grade_key", "ladder", "pairs",
    "season", "section",
]  # fmt: skip
