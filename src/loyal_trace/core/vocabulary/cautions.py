"""The cautions of the bench, one name each. Their words and sources are data (`resources/data/cautions.toml`)."""

from enum import StrEnum


class Caution(StrEnum):
    """What can kill, burn, hurt, or ruin a part. The value is the name in the data file and in entries."""

    MAINS = "mains"
    RESERVOIR = "reservoir"
    SWITCH_MODE = "switch-mode primary"
    MONITOR = "monitor"
    DC_SUPPLY = "dc supply"
    HOT_PARTS = "hot parts"
    CELL_LITHIUM = "lithium primary cell"
    CELL_LITHIUM_RECHARGEABLE = "lithium rechargeable cell"
    CELL_NICD = "nickel-cadmium cell"
    CELL_NIMH = "nickel-metal hydride cell"
    CELL_ALKALINE = "alkaline cell"
    CELL_LEAD = "lead-acid cell"
    CELL_UNKNOWN = "cell of unknown chemistry"
    LEAKED_ALKALI = "leaked alkali"
    LEAKED_ACID = "leaked acid"
    LEAKED_ELECTROLYTE = "leaked electrolyte"
    ALCOHOL = "alcohol"
    CORROSIVE = "corrosive"
    UV = "uv"
    AGED_CELLS = "aged cells"
    SOLDERING = "soldering"
    LEAD = "lead"
    CUT_LEADS = "cut leads"
    POLARITY = "polarity"
    FUSE = "fuse"
    STATIC = "static"


# As older logbooks name the cautions that were signed.
FORMER_NAMES = {
    "mains and reservoir": Caution.MAINS,
    "lithium cell": Caution.CELL_LITHIUM,
    "monitor high voltage": Caution.MONITOR,
}
# Read and signed before a reading is taken where they stand.
SIGNED = frozenset(
    {
        Caution.MAINS,
        Caution.SWITCH_MODE,
        Caution.MONITOR,
        Caution.CELL_LITHIUM,
        Caution.CELL_LITHIUM_RECHARGEABLE,
        Caution.CELL_NICD,
        Caution.CELL_NIMH,
        Caution.CELL_ALKALINE,
        Caution.CELL_LEAD,
        Caution.CELL_UNKNOWN,
    }
)
