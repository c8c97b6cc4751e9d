"""The figures of the trade that pages and sentences name, gathered from core."""

from dataclasses import dataclass

from lumbrel.core.bench.refractometer import COLDEST_DROP_C, WARMEST_DROP_C
from lumbrel.core.bench.thermometer import TEST_BOIL_GOOD_FOR_HOURS, TEST_BOIL_GOOD_FOR_PA
from lumbrel.core.candy.confections import BURN_HAZARD_C, FOAM_TO_ABOVE_WATER_K
from lumbrel.core.colour.blend import SURE
from lumbrel.core.colour.grades import CLASSES
from lumbrel.core.jar.hot_pack import COLDEST_FILL_C, HOTTEST_FILL_C, NEW_NITER_C
from lumbrel.core.pan.raw_sap import SAP_BRIX
from lumbrel.core.pan.target import (
    CEILING_BRIX,
    DEFAULT_BRIX,
    FLOOR_BRIX,
    FOAM_ABOVE_WATER_K,
    SUGAR_KINDS,
)
from lumbrel.core.pan.vessel import LOWEST_SAFE_DEPTH_MM
from lumbrel.core.sap.boil_down import KEEP_DEPTH_MM
from lumbrel.core.sap.sap import ICE_SHARE


@dataclass(frozen=True, kw_only=True)
class Figures:
    """Each by the name pages use."""

    floor_brix: float = FLOOR_BRIX
    default_brix: float = DEFAULT_BRIX
    ceiling_brix: float = CEILING_BRIX
    coldest_fill_c: float = COLDEST_FILL_C
    hottest_fill_c: float = HOTTEST_FILL_C
    new_niter_c: float = NEW_NITER_C
    coldest_drop_c: float = COLDEST_DROP_C
    warmest_drop_c: float = WARMEST_DROP_C
    boil_good_for_hours: float = TEST_BOIL_GOOD_FOR_HOURS
    boil_good_for_hpa: float = TEST_BOIL_GOOD_FOR_PA / 100
    lowest_depth_mm: float = LOWEST_SAFE_DEPTH_MM
    keep_depth_mm: float = KEEP_DEPTH_MM
    ice_share: float = ICE_SHARE
    """Of the sap's Brix, what stays in its ice."""
    colour_classes: tuple[str, ...] = tuple(name for name, _, _ in CLASSES)
    """The lightest first."""
    sure: float = SURE
    """So likely, one class is named alone."""
    told_chance: float = 0.01
    """What is less likely is not told."""
    told_share: float = 0.03
    """A cause of less than that share of complaints is not told."""
    whole: float = 0.999
    """A share of so much is all of it."""
    burn_hazard_c: float = BURN_HAZARD_C
    candy_foam_low_k: float = FOAM_ABOVE_WATER_K
    candy_foam_high_k: float = FOAM_TO_ABOVE_WATER_K
    sugar_kinds: tuple[str, ...] = SUGAR_KINDS
    trees: tuple[str, ...] = tuple(SAP_BRIX)


FIGURES = Figures()
