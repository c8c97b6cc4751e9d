"""What happens at the pan besides readings."""

from typing import Any

from lumbrel.services.context import BatchContext
from lumbrel.services.typed import Form

DEFOAMERS = {
    "oil": ("vegetable oil", ""),
    "butter": ("butter", "milk"),
    "margarine": ("margarine", "milk"),
    "cream": ("cream", "milk"),
    "commercial": ("commercial defoamer", ""),
}


def boiling(form: Form, context: BatchContext) -> dict[str, Any]:
    """The boil-off has begun."""
    return {}


def strained(form: Form, context: BatchContext) -> dict[str, Any]:
    """Strained once, while thin."""
    return {}


def foam(form: Form, context: BatchContext) -> dict[str, Any]:
    """Foam knocked down; the choice goes on to the label when it carries an allergen."""
    chosen = form.choice(
        "defoamer", list(DEFOAMERS), "Say what knocked the foam down: it decides the allergens."
    )
    name, allergen = DEFOAMERS.get(chosen, ("", ""))
    return {"defoamer": name, "allergen": allergen}


def added(form: Form, context: BatchContext) -> dict[str, Any]:
    """More near-syrup, or water or thinner syrup put back."""
    mass = form.between(
        "mass", "mass", 0.01, 5000, "What was put in must weigh between 0.01 and 5000 kg."
    )
    brix = form.between("brix", "brix", 0, 85, "Its Brix must lie between 0 (water) and 85.")
    warm = form.between(
        "temperature", "temperature", 0, 120, "It must be between 0 and 120 °C warm.", False
    )
    return {"mass_kg": mass, "brix": brix} | ({} if warm is None else {"temperature_c": warm})


def note(form: Form, context: BatchContext) -> dict[str, Any]:
    """Anything worth keeping; sensory signs belong here, they never outvote an instrument."""
    return {"text": form.text("text", "Type what is worth keeping.")}
