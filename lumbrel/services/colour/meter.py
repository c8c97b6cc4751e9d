"""A meter of transmittance as it is read: the blank first, then the sample."""

import random

from lumbrel.devices.protocols import Colorimeter
from lumbrel.devices.simulated import SimulatedColorimeter
from lumbrel.services.base.batch import BatchContext
from lumbrel.store.instruments import VialDetail

STANDARD_MM = 10.0


def read_meter(context: BatchContext, meter: Colorimeter | None = None) -> dict[str, str]:
    """What a meter shows, as the fields of the colour's form.

    Args:
        meter: the meter; a simulated one, with a sample of this batch's own, if left out.
    """
    vials = context.instruments_of(VialDetail)
    path = vials[0].detail.path_mm if vials else STANDARD_MM
    read = meter or _simulated(context, path)
    fields = {
        "by": "meter",
        "blank": f"{read.blank_percent():.1f}",
        "transmittance": f"{read.transmittance_percent():.1f}",
        "path": context.show(path, "depth"),
    }
    return fields | ({"vial": vials[0].id} if vials else {})


def _simulated(context: BatchContext, path_mm: float) -> Colorimeter:
    noise = random.Random(context.batch.id)
    return SimulatedColorimeter(noise.uniform(15, 85), path_mm, noise)
