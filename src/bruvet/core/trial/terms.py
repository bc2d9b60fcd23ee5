"""The words of the trade that Bruvet stores and shows, each with its label."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Term(StrEnum):
    """A stored word with the label a person reads; members are written `NAME = "stored", "label"`."""

    label: str

    def __new__(cls, value: str, label: str = "") -> Term:
        member = str.__new__(cls, value)
        member._value_ = value
        member.label = label
        return member

    @classmethod
    def choices(cls) -> list[tuple[str, str]]:
        return [(member.value, member.label) for member in cls]


def term(kind: type[Term], value: str) -> str:
    """Label of a stored word; the word itself when it is none of the kind's."""
    try:
        return kind(value).label
    except ValueError:
        return value


class Factor(Term):
    COOKER = "cooker", "Cooker"
    PIT_TEMPERATURE = "pit-temperature", "Pit temperature"
    WRAP = "wrap", "Wrap"
    COOK_TIME = "cook-time", "Cook time"
    CUT = "cut", "Cut"
    WOOD = "wood", "Wood"
    RUB = "rub", "Rub"
    REST = "rest", "Rest"
    COOK = "cook", "Who cooks"
    OTHER = "other", "Something else"


class TrialKind(Term):
    """How a trial is laid out."""

    ONE_FACTOR = "one-factor", "One thing changed"
    CROSSED = "crossed", "Two things crossed"
    SPLIT = "split", "One piece split"
    LENGTHS = "lengths", "The same, for different times"
    MOVED = "moved", "Finished in another cooker"
    TEAMS = "teams", "Several cooks, one panel"


class CookerKind(Term):
    PELLET = "pellet", "Pellet"
    CERAMIC = "ceramic", "Ceramic"
    KETTLE = "kettle", "Kettle"
    BULLET = "bullet", "Bullet"
    DRUM = "drum", "Drum"
    OFFSET = "offset", "Offset stick burner"
    GRAVITY = "gravity", "Gravity-fed charcoal"
    DIRECT = "direct", "Direct heat over embers"
    CABINET = "cabinet", "Electric or gas cabinet"


class Cut(Term):
    BRISKET_WHOLE = "brisket-whole", "Brisket, whole"
    BRISKET_FLAT = "brisket-flat", "Brisket, flat"
    BEEF_CHUCK = "beef-chuck", "Beef chuck"
    BEEF_CHEEK = "beef-cheek", "Beef cheek"
    BEEF_PLATE_RIBS = "beef-plate-ribs", "Beef plate ribs"
    BEEF_SHORT_RIBS = "beef-short-ribs", "Beef short ribs"
    PORK_SHOULDER = "pork-shoulder", "Pork shoulder"
    PORK_COLLAR = "pork-collar", "Pork collar"
    PORK_BELLY = "pork-belly", "Pork belly"
    PORK_SPARE_RIBS = "pork-spare-ribs", "Pork spare ribs"
    PORK_LOIN_RIBS = "pork-loin-ribs", "Pork loin ribs"
    LAMB_SHOULDER = "lamb-shoulder", "Lamb shoulder"
    TURKEY_THIGH = "turkey-thigh", "Turkey thigh"
    TURKEY_BREAST = "turkey-breast", "Turkey breast"
    CHICKEN_WHOLE = "chicken-whole", "Chicken, whole"
    OTHER = "other", "Another cut"


POULTRY = frozenset({Cut.TURKEY_THIGH, Cut.TURKEY_BREAST, Cut.CHICKEN_WHOLE})


class WrapRule(Term):
    NEVER = "never", "Never wrapped"
    TEMPERATURE = "temperature", "At an internal temperature"
    BARK = "bark", "When the bark is set and the colour is right"
    STALL = "stall", "When the stall has begun"
    STALL_AND_BARK = "stall-and-bark", "When the stall has begun and the bark is set"
    CLOCK = "clock", "By the clock"


class WrapIn(Term):
    FOIL = "foil", "Foil"
    PAPER = "paper", "Butcher paper"
    TRAY = "tray", "Foil tray, open on top"
    NONE = "none", "Nothing"


class DoneRule(Term):
    FEEL = "feel", "Probe feel inside a temperature band"
    TEMPERATURE = "temperature", "Internal temperature"
    TIME = "time", "Time and look"


class RestKind(Term):
    COUNTER = "counter", "On the counter"
    BOX = "box", "Insulated box"
    HOT_HOLD = "hot-hold", "Hot holding"
    NONE = "none", "No rest"


class EventKind(Term):
    """What can be done or happen; `mark` is the letter of its mark on a strip."""

    mark: str

    def __new__(cls, value: str, label: str = "", mark: str = "") -> EventKind:
        member = str.__new__(cls, value)
        member._value_ = value
        member.label = label
        member.mark = mark
        return member

    MEAT_ON = "meat-on", "Meat on", "M"
    LID = "lid", "Lid open", "L"
    SPRITZ = "spritz", "Spritz", "S"
    WRAP = "wrap", "Wrap", "W"
    UNWRAP = "unwrap", "Unwrap", "U"
    TURN = "turn", "Turn", "T"
    MOVE = "move", "Move", "V"
    PIT_SET = "pit-set", "Pit set to", "P"
    FUEL = "fuel", "Fuel", "F"
    WOOD = "wood", "Wood", "D"
    WEATHER = "weather", "Weather", "Q"
    PULL = "pull", "Pull", "X"
    REST_START = "rest-start", "Rest starts", "R"
    REST_END = "rest-end", "Rest ends", "E"
    LOOK = "look", "Look", "K"
    CUT = "cut", "Cut", "C"
    NOTE = "note", "Note", "N"


class Bark(Term):
    WET = "wet", "Wet"
    TACKY = "tacky", "Tacky"
    SET = "set", "Set"


class Feel(Term):
    FIRM = "firm", "Firm"
    SLIGHT = "slight", "Slight drag"
    NO_DRAG = "no-drag", "No drag"


class Bend(Term):
    """What a slice does that is laid over a finger."""

    DRAPES = "drapes", "Drapes, does not break"
    CRACKS = "cracks", "Cracks"
    BREAKS = "breaks", "Breaks"
    STIFF = "stiff", "Does not bend"


class Pull(Term):
    FALLS = "falls", "Falls apart by itself"
    LIGHT_TUG = "light-tug", "Parts with a light tug"
    HOLDS = "holds", "Holds on"


class Squeeze(Term):
    RUNS = "runs", "Juice runs"
    MOIST = "moist", "Moist"
    DRY = "dry", "Dry"


class BarkColour(Term):
    PALE = "pale", "Pale"
    RED_BROWN = "red-brown", "Red-brown"
    MAHOGANY = "mahogany", "Mahogany"
    DARK = "dark", "Dark"
    BLACK = "black", "Black"


class BarkFirm(Term):
    SOFT = "soft", "Soft"
    TACKY = "tacky", "Tacky"
    FIRM = "firm", "Firm"
    HARD = "hard", "Hard"


class Fat(Term):
    RENDERED = "rendered", "Rendered"
    MOSTLY = "mostly", "Mostly rendered"
    PARTLY = "partly", "Partly rendered"
    NOT = "not", "Not rendered"


# What is looked at when a piece is cut: its field, what the form calls it, what a sentence calls it, its words.
AT_THE_BOARD: tuple[tuple[str, str, str, type[Term]], ...] = (
    ("bend", "Bend of a slice", "bend", Bend),
    ("pull", "Pull", "pull", Pull),
    ("squeeze", "Squeeze", "squeeze", Squeeze),
    ("bark_colour", "Bark, colour", "bark", BarkColour),
    ("bark_firm", "Bark, firmness", "bark", BarkFirm),
    ("fat", "Fat", "fat", Fat),
)


class PhotoView(Term):
    """What a photo shows; those of one view are laid beside one another."""

    WHOLE = "whole", "Whole piece"
    BARK = "bark", "Bark"
    SLICE = "slice", "Slice"
    RING = "ring", "Smoke ring"


class Attribute(Term):
    BARK = "bark", "Bark"
    SMOKE = "smoke", "Smoke"
    TENDERNESS = "tenderness", "Tenderness"
    JUICINESS = "juiciness", "Juiciness"
    FLAVOUR = "flavour", "Flavour"
    OVERALL = "overall", "Overall"


@dataclass(frozen=True)
class ArmLook:
    """How an arm is told apart: by letter, marker and line pattern; its colours are the style sheet's."""

    letter: str
    marker: str
    dash: tuple[int, ...]


ARM_LOOKS = {
    look.letter: look
    for look in (
        ArmLook("A", "disc", ()),
        ArmLook("B", "square", (9, 4)),
        ArmLook("C", "triangle", (2, 3)),
        ArmLook("D", "diamond", (9, 3, 2, 3)),
        ArmLook("E", "cross", (16, 4)),
        ArmLook("F", "hexagon", (4, 2, 1, 2, 1, 2)),
        ArmLook("G", "wedge", (1, 2)),
        ArmLook("H", "pill", (12, 2, 2, 2, 2, 2)),
    )
}
MAX_ARMS = len(ARM_LOOKS)
MIN_ARMS = 2
