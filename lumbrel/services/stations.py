"""From the draw to the jar: the decisions, each with the figures it was made on."""

import re
from collections.abc import Callable
from sqlite3 import Connection
from typing import Any

from lumbrel.core.colour import grades
from lumbrel.core.jar import hot_pack
from lumbrel.core.jar.hot_pack import HotPack
from lumbrel.services import pan
from lumbrel.services.bench.checks import check_is_old
from lumbrel.services.context import BatchContext
from lumbrel.services.drawn import AfterDraw, after_draw
from lumbrel.services.typed import Form
from lumbrel.store import flow
from lumbrel.store.flow import Jar
from lumbrel.store.instruments import Instrument, instruments
from lumbrel.store.record import Entry

FILTERS = {
    "layers": "light layers and a heavy one",
    "felt": "felt and paper",
    "press": "filter press",
    "none": "not filtered",
}
FLAWS = {
    "scorched": "scorched",
    "fermented": "fermented",
    "buddy": "late-season “buddy”",
    "metallic": "metallic",
    "cloudy": "cloudy",
}
JAR_ROWS = 4
LOT_CODE = re.compile(r"[A-Za-z0-9][A-Za-z0-9 ._/-]{0,23}")
COLDEST_GOOD_FILTER_C = 80.0
THICKEST_JAR_BRIX = 80.0


def draw(form: Form, context: BatchContext) -> dict[str, Any]:
    """Draw off: the joint density, target and mass at this moment are kept with it."""
    board = pan.board_of(context)
    mass = form.between(
        "mass", "mass", 0.1, 5000, "What was drawn must weigh between 0.1 and 5000 kg.",
        required=False,
    )  # fmt: skip
    known = board.believed or board.joint
    short = context.batch.target_brix - known.brix
    if board.believed is None:
        form.ask(
            "mass",
            "The instruments contradict each other, so nobody knows what this is. One more "
            "reading would settle it. Draw all the same?",
        )
    elif short > max(1.5, 2 * known.sigma_brix):
        form.ask(
            "mass",
            f"The joint value is {known.brix:.1f} Brix, {short:.1f} under the target: so "
            "thin it would ferment. Draw all the same?",
        )
    minute = max(board.evidence.minute(context.now), 0.1)
    start = board.evidence.fitted.mass0_kg
    added = sum(e.facts["mass_kg"] for e in context.of_kind("added"))
    drawn = board.mass_kg if mass is None else mass
    rate = (start + added - board.mass_kg) / minute
    return {
        "brix": known.brix, "sigma_brix": known.sigma_brix,
        "target_brix": context.batch.target_brix, "mass_kg": drawn, "weighed": mass is not None,
        "call": board.verdict.call.value, "chi2_per_dof": board.joint.chi2_per_dof,
        "rate_kg_per_min": rate if minute >= 5 and rate > 0 else None,
    }  # fmt: skip


def filtering(form: Form, context: BatchContext) -> dict[str, Any]:
    """The hot filter and its temperature."""
    _needs(form, context, "draw", "Draw the batch off first.")
    method = form.choice("method", FILTERS, "Choose how it was filtered.")
    temperature = form.between(
        "temperature", "temperature", 20, 110,
        "Syrup is filtered between 20 and 110 °C (68 and 230 °F); for Fahrenheit type F behind "
        "the number.",
    )  # fmt: skip
    if temperature is not None and temperature < COLDEST_GOOD_FILTER_C and method != "none":
        form.ask(
            "temperature",
            f"Under {context.show(COLDEST_GOOD_FILTER_C, 'temperature', 0)} syrup runs slowly and "
            "the filter blinds. Was it filtered so cool?",
        )
    return {"method": method, "temperature_c": temperature, "twice": form.ticked("twice")}


def colour(form: Form, context: BatchContext) -> dict[str, Any]:
    """The colour class: by meter as a transmittance, or by eye as a class."""
    _needs(form, context, "draw", "Draw the batch off first.")
    flaws = [name for name in FLAWS if form.ticked(name)]
    by = form.choice("by", ["meter", "eye"], "Say whether a meter was used or the eye.")
    facts: dict[str, Any] = {"by": by, "flaws": flaws, "for_processing": bool(flaws)}
    names = [name for name, _, _ in grades.CLASSES]
    if by == "eye":
        facts["grade"] = form.choice("grade", names, f"Choose the class: {', '.join(names)}.")
        return facts | _by_eye(form, context)
    measured = form.between(
        "transmittance", "percent", 0.1, 100,
        "Transmittance lies above 0 and up to 100 % of the glycerol blank.",
    )  # fmt: skip
    vial = _owned(form, context, "vial")
    path = (
        float(vial.detail["path_mm"])
        if vial
        else form.between(
            "path", "depth", 1, 100, "A vial's path is between 1 and 100 mm (0.04 and 3.9 in)."
        )
    )
    if measured is None or path is None:
        return facts
    t10 = grades.transmittance_10mm_percent(measured, path)
    return facts | {
        "transmittance_percent": measured, "path_mm": path, "transmittance_10mm_percent": t10,
        "grade": grades.colour_class(t10), "chances": grades.chances(t10),
    }  # fmt: skip


def _owned(form: Form, context: BatchContext, kind: str) -> Instrument | None:
    """A registered vial or set of references, when one was chosen."""
    wanted = form.fields.get(kind, "")
    return next((i for i in instruments(context.db, kind) if i.id == wanted), None)


def _by_eye(form: Form, context: BatchContext) -> dict[str, Any]:
    """What the sample was held in and against; a path that does not match is asked about."""
    vial, against = _owned(form, context, "vial"), _owned(form, context, "reference")
    if vial and against:
        seen, made_for = float(vial.detail["path_mm"]), float(against.detail["path_mm"])
        if abs(seen - made_for) > 0.05 * made_for:
            form.ask(
                "grade",
                f"{vial.name} is {context.show(seen, 'depth')} across, {against.name} is made for "
                f"{context.show(made_for, 'depth')}: seen through "
                f"{'more' if seen > made_for else 'less'} syrup it looks "
                f"{'darker' if seen > made_for else 'lighter'} than it is.",
            )
    old = check_is_old(context.db, against, context.now) if against else ""
    if old:
        form.ask("grade", f"{old} Colours fade. Do they still hold?")
    return {"vial": vial.name if vial else "", "reference": against.name if against else ""}


def jar(form: Form, context: BatchContext) -> dict[str, Any]:
    """Jars by size and count, hot-packed, under a lot code."""
    _needs(form, context, "draw", "Draw the batch off first.")
    fill = form.between(
        "fill", "temperature", 10, 110,
        "Jars are filled at 82 to 88 °C (180 to 190 °F); for Fahrenheit type F behind the number.",
    )  # fmt: skip
    if fill is not None:
        judged = hot_pack.hot_pack(fill)
        window = f"{context.show(82, 'temperature', 0)} to {context.show(88, 'temperature', 0)}"
        if judged is HotPack.TOO_COLD:
            form.ask(
                "fill",
                f"Too cold to keep: moulds survive under {context.show(82, 'temperature', 0)}. "
                f"Reheat to {window} and fill again. Keep it only if these jars go to the fridge.",
            )
        elif judged is HotPack.NEW_NITER:
            form.ask(
                "fill", "Above 93 °C (199 °F) new niter forms in the jar and it darkens. Is it so?"
            )
    rows = _jar_rows(form)
    lot = form.text("lot", "Give the lot a code; the batch's own will do.", 24)
    if lot and not LOT_CODE.fullmatch(lot):
        form.errors["lot"] = (
            "A lot code has 1 to 24 letters, digits, spaces, dots, dashes or slashes, and begins "
            "with a letter or digit."
        )
    owner = flow.lot_owner(context.db, lot) if lot else None
    if owner and owner != context.batch.id:
        form.errors["lot"] = f"The lot {lot} is another batch's. Choose another code."
    mine = flow.lot_of(context.db, context.batch.id)
    if mine and lot and mine != lot:
        form.errors["lot"] = f"This batch is lot {mine} already; its jars carry that code."
    after = after_draw(context) if context.first("draw") else None
    if after and after.brix > THICKEST_JAR_BRIX:
        form.errors["kind"] = (
            f"At {after.brix:.0f} Brix this is candy, not syrup for jars. Put water back first."
        )
    elif after and rows:
        _plausible_amount(form, rows, after)
    brix = after.syrup_brix if after else 0.0
    return {
        "fill_c": fill, "lot": lot, "jars": [[size, count] for size, count in rows],
        "brix": brix, "target_brix": context.batch.target_brix,
        "hot_pack": hot_pack.hot_pack(fill).value if fill is not None else "",
        "mass_kg": sum(hot_pack.mass_kg(brix, s / 1000) * c for s, c in rows) if brix else 0.0,
    }  # fmt: skip


def _plausible_amount(form: Form, rows: list[tuple[float, int]], after: AfterDraw) -> None:
    filled = sum(hot_pack.mass_kg(after.brix, size / 1000) * count for size, count in rows)
    if filled > after.mass_kg * 1.1:
        form.ask(
            "size_1",
            f"These jars hold {filled:.1f} kg; only about {after.mass_kg:.1f} kg was drawn. "
            "Is it so?",
        )


def _jar_rows(form: Form) -> list[tuple[float, int]]:
    rows = []
    for i in range(1, JAR_ROWS + 1):
        if not form.given(f"count_{i}"):
            continue
        size = form.between(f"size_{i}", "jar", 10, 20_000, "A jar holds between 10 ml and 20 L.")
        count = form.between(
            f"count_{i}", "count", 1, 10_000, "Type how many jars, a whole number from 1 to 10 000."
        )
        if size is not None and count is not None:
            rows.append((size, int(count)))
    if not rows and not any(key.startswith(("size_", "count_")) for key in form.errors):
        form.errors["count_1"] = "Type at least one size and how many jars of it."
    return rows


def store_jars(db: Connection, entry: Entry) -> None:
    """Write a jarring's lot and jars; runs inside the entry's own transaction."""
    lot = entry.facts["lot"]
    flow.add_lot(db, lot, entry.batch_id)
    flow.add_jars(db, entry.id, lot, [Jar(size, count) for size, count in entry.facts["jars"]])


def _needs(form: Form, context: BatchContext, kind: str, sentence: str) -> None:
    if context.first(kind) is None:
        form.errors["kind"] = sentence


def line(entry: Entry, show: Callable[..., str]) -> tuple[str, str, str]:
    """Title, second line and figure of a decision on the slip."""
    facts = entry.facts
    if entry.kind == "draw":
        drawn = f"Drew off {show(facts['mass_kg'], 'mass')}"
        return (
            drawn,
            f"for {facts['target_brix']:.1f}, ± {facts['sigma_brix']:.1f}",
            f"{facts['brix']:.1f}",
        )
    if entry.kind == "filter":
        how = FILTERS[facts["method"]]
        return f"Filtered at {show(facts['temperature_c'], 'temperature', 0)}", how, ""
    if entry.kind == "colour":
        light = facts.get("transmittance_10mm_percent")
        how = "by eye" if light is None else f"{light:.0f} % through 10 mm"
        flaws = ", ".join(FLAWS[flaw] for flaw in facts["flaws"])
        return f"Colour {facts['grade']}", f"{how}; for processing: {flaws}" if flaws else how, ""
    jars = ", ".join(f"{count} × {show(size, 'jar')}" for size, count in facts["jars"])
    return f"Jarred {jars}", f"lot {facts['lot']}, at {show(facts['fill_c'], 'temperature', 0)}", ""
