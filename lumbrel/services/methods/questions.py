"""Where practitioners disagree: each question with its methods, the default first, and why."""

from dataclasses import dataclass

from lumbrel.words import _


@dataclass(frozen=True)
class Method:
    """One side of a question."""

    key: str
    name: str


@dataclass(frozen=True)
class MethodQuestion:
    """What practitioners disagree on; the first method is the default, and why."""

    key: str
    text: str
    methods: tuple[Method, ...]
    why: str

    def chosen(self, taken: dict[str, str]) -> Method:
        """The side taken, else the default."""
        wanted = taken.get(self.key, "")
        return next((s for s in self.methods if s.key == wanted), self.methods[0])


QUESTIONS = (
    MethodQuestion(
        "end_point",
        _("The end point on the thermometer"),
        (
            Method("computed", _("computed from pressure, target and sugar")),
            Method("plus-7", _("boiling water + 7 °F")),
            Method("plus-7.1", _("boiling water + 7.1 °F")),
            Method("plus-7.5", _("boiling water + 7.5 °F")),
            Method("flat-219", _("219 °F, flat")),
        ),
        _(
            "The “plus” rules hold at sea level only. The step shrinks with pressure: for 66.9 Brix "
            "it is 7.44 °F at 1013 hPa and 7.22 °F at 850 hPa. It grows with invert sugar: birch "
            "needs 10 to 12 °F. A flat 219 °F is right only near the sea on an average day."
        ),
    ),
    MethodQuestion(
        "boil_by",
        _("Where water boils"),
        (
            Method("test-boil", _("a test boil of this thermometer")),
            Method("barometer", _("the barometer, the thermometer uncorrected")),
            Method("elevation", _("elevation alone")),
            Method("feet-rule", _("one degree F per 500 ft")),
        ),
        _(
            "A test boil calibrates the thermometer too, so its error cancels. Pressure alone leaves "
            "that error in. Elevation alone also leaves the weather in, half a kelvin either way."
        ),
    ),
    MethodQuestion(
        "trust",
        _("What to trust"),
        (
            Method("all", _("all, weighted by what each can resolve")),
            Method("hydrometer", _("the hydrometer")),
            Method("refractometer", _("the refractometer")),
            Method("thermometer", _("the thermometer")),
        ),
        _(
            "Each instrument fails in its own way. Together they give a better figure than the best "
            "of them. They also show when one must be wrong."
        ),
    ),
    MethodQuestion(
        "hot_mark",
        _("A hydrometer read hot"),
        (
            Method("cup", _("compute for the cup’s own temperature")),
            Method("printed", _("the mark printed on the stem")),
        ),
        _(
            "The printed mark is meant for about 211 °F. A cup is several degrees colder when it is "
            "read. Each 10 °F changes the reading by a third of a Brix."
        ),
    ),
)
