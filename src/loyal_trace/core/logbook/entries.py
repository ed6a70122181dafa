"""The entry types. What a person does or measures becomes one of these, appended and never edited.

Every entry has an id, a UTC time, an author and, mostly, a board. Nothing here reads a clock: all of it is passed in.
Old versions are upgraded on read by `upgrade`, keyed by the number in `v`.
"""

from datetime import datetime, timedelta
from typing import Annotated, Any, Literal

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field, TypeAdapter, ValidationError, field_validator

from loyal_trace.core.errors import UserFileError
from loyal_trace.core.roms.images import KnownSum, sums_from_mapping

ENTRY_VERSION = 1
Sha256 = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]


class _Base(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)

    id: str = Field(min_length=1, max_length=64)
    time: AwareDatetime
    author: str = ""
    board: str = ""
    part_of: str = Field(default="", description="id of the entry this one belongs to: taken back with it")
    v: Literal[1] = 1

    @field_validator("time")
    @classmethod
    def _utc(cls, value: datetime) -> datetime:
        if value.utcoffset() != timedelta(0):
            raise ValueError("times are kept in UTC")
        return value


class Opened(_Base):
    """A job begins: whose, what is wrong in the owner's words, what was promised, which boards."""

    kind: Literal["opened"] = "opened"
    title: str
    number: str = ""
    owner: str = ""
    complaint: str = ""
    promise: str = "repair"
    boards: tuple[str, ...] = ()
    maker: str = ""


class Observed(_Base):
    """Something seen at a place: a finding word (`corroded`, `looks good`, …) and a note."""

    kind: Literal["observed"] = "observed"
    place: str
    finding: str
    note: str = ""


class Measured(_Base):
    """A number taken at a place. `value` in SI units; None with `overload` means the meter showed OL.

    With the source `good board` it was taken on a board known to work, and is what this one is held against.
    """

    kind: Literal["measured"] = "measured"
    place: str
    quantity: str
    value: float | None
    overload: bool = False
    in_circuit: bool = True
    powered: bool = False
    source: str = "hand"


class Lifted(_Base):
    """Parts were lifted off a rail (`place` is its net) together: the resistance to ground then (ohm), None for OL."""

    kind: Literal["lifted"] = "lifted"
    place: str
    parts: tuple[str, ...] = Field(min_length=1)
    value: float | None


class ChainDescribed(_Base):
    """One of the three lines that describe a supply chain: `from`, `through` or `to`. `path` tells several apart."""

    kind: Literal["chain_described"] = "chain_described"
    line: Literal["from", "through", "to"]
    text: str
    path: str = ""


class ImageKnown(_Base):
    """A true image at hand for a slot and firmware revision."""

    kind: Literal["image_known"] = "image_known"
    place: str
    firmware: str = ""
    attachment: Sha256
    size: int
    proof: str = Field(default="", description="set when it was restored: what was done, and the sums that prove it")


class SumLine(BaseModel):
    """One known sum inside a list."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)

    name: str
    digests: dict[str, str]
    size: int | None = None
    firmware: str = ""
    place: str = ""

    @property
    def known(self) -> KnownSum:
        """The same as images are held against it."""
        return KnownSum(self.name, sums_from_mapping(self.digests), self.size, self.firmware, self.place)


class SumsKnown(_Base):
    """A list of known sums taken into the job, with its source."""

    kind: Literal["sums_known"] = "sums_known"
    source: str
    lines: tuple[SumLine, ...]


class RomRead(_Base):
    """A ROM was read, by the reader or from a file; the bytes are an attachment."""

    kind: Literal["rom_read"] = "rom_read"
    place: str
    attachment: Sha256
    size: int
    source: str = "reader"
    file_name: str = ""


class PinState(BaseModel):
    """One probed pin."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)

    pin: int = Field(ge=1, le=128)
    state: Literal["L", "H", "P", "X", "Z", "?"]
    voltage: float | None = None
    frequency: float | None = None


class PinsProbed(_Base):
    """Pins of one chip were probed; a later reading of a pin replaces an earlier one."""

    kind: Literal["pins_probed"] = "pins_probed"
    place: str
    pins: tuple[PinState, ...]
    chip: str = ""
    source: str = "hand"


class SignatureTaken(_Base):
    """What a tester showed for a ROM in circuit; None when the check never came to an end."""

    kind: Literal["signature"] = "signature"
    place: str
    value: int | None = Field(ge=0)


class Swapped(_Base):
    """A part was exchanged to see what the fault does. `result`: fault goes, stays or moves."""

    kind: Literal["swapped"] = "swapped"
    place: str
    spare: str
    result: Literal["fault goes", "fault stays", "fault moves"]
    note: str = ""


class Removed(_Base):
    """A part came out. `reading` is what it measured out of circuit, in words."""

    kind: Literal["removed"] = "removed"
    place: str
    number: str = ""
    reason: str = ""
    shelf: str = ""


OWN_CHIP = "own chip"
OWN_PART = "own part"


class Fitted(_Base):
    """A part went in; earlier readings of that place no longer speak of it.

    With the origin `own chip` it is no replacement: a part of no board, told to be there.
    """

    kind: Literal["fitted"] = "fitted"
    place: str
    number: str
    origin: str = ""
    note: str = ""
    lender: str = Field(default="", description="set when it is a stand-in: where it was borrowed and goes back to")


class StepDone(_Base):
    """A step of the plan was done, or skipped with a reason."""

    kind: Literal["step_done"] = "step_done"
    step: str
    what: str = ""
    minutes: float = 0.0
    skipped: bool = False
    note: str = ""


class Started(_Base):
    """The board was powered up: clean or failed, what it said, how long it had been off (second)."""

    kind: Literal["started"] = "started"
    clean: bool
    code: str = ""
    off_seconds: float | None = None
    note: str = ""


class SymptomSeen(_Base):
    """Something the board does wrong, present or gone."""

    kind: Literal["symptom"] = "symptom"
    text: str
    present: bool = True


class CheckResult(_Base):
    """One item of the checklist was tested."""

    kind: Literal["test_result"] = "test_result"
    item: str
    passed: bool
    note: str = ""


class NotTestable(_Base):
    """One item cannot be tested on this bench, with the reason."""

    kind: Literal["not_testable"] = "not_testable"
    item: str
    reason: str


class Decided(_Base):
    """A choice that changes how the job is judged or done (`firmware`, `rail school`, `good enough`, …)."""

    kind: Literal["decided"] = "decided"
    what: str
    choice: str
    reason: str = ""


class CautionSeen(_Base):
    """A caution was read and signed before the step that can hurt."""

    kind: Literal["caution_seen"] = "caution_seen"
    caution: str


class PhotoPoint(BaseModel):
    """One point seen on both: `x`, `y` in millimetres on the board, `u`, `v` in pixels of the upright photo."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)

    x: float
    y: float
    u: float
    v: float


class Photographed(_Base):
    """A photo of a board; the file is an attachment, whole. Size in pixels, upright as its EXIF says."""

    kind: Literal["photographed"] = "photographed"
    attachment: Sha256
    file_name: str
    width: int = Field(gt=0)
    height: int = Field(gt=0)
    note: str = ""


class PhotoAligned(_Base):
    """A photo was made one with the board map by points clicked on both."""

    kind: Literal["photo_aligned"] = "photo_aligned"
    attachment: Sha256
    points: tuple[PhotoPoint, ...]


class PhotoOf(_Base):
    """A photo shows this part: it belongs to what was seen there."""

    kind: Literal["photo_of"] = "photo_of"
    place: str
    attachment: Sha256


class TakenApart(_Base):
    """One step of the teardown: what came off, how many, of what size, from where, and which way round it was."""

    kind: Literal["taken_apart"] = "taken_apart"
    sort: Literal["fastener", "cable", "shield", "switch", "glue", "other"]
    what: str
    count: int = Field(default=1, ge=1)
    size: str = ""
    place: str = ""
    way: str = ""


class PutBack(_Base):
    """A step of the teardown was undone: how many of its pieces are back in place."""

    kind: Literal["put_back"] = "put_back"
    target: str
    count: int = Field(default=1, ge=0)


class Assumed(_Base):
    """What a plan rests on: pairs of pins that must ring (`together`) and pairs that must not (`apart`)."""

    kind: Literal["assumed"] = "assumed"
    name: str
    together: tuple[tuple[str, str], ...] = ()
    apart: tuple[tuple[str, str], ...] = ()


class GaveBack(_Base):
    """A borrowed stand-in went back to where it came from."""

    kind: Literal["gave_back"] = "gave_back"
    place: str


class Note(_Base):
    """Free words."""

    kind: Literal["note"] = "note"
    text: str


class Retracted(_Base):
    """An earlier entry no longer counts. It stays in the logbook."""

    kind: Literal["retracted"] = "retracted"
    target: str


class HandedBack(_Base):
    """The job went home."""

    kind: Literal["handed_back"] = "handed_back"
    note: str = ""


AnyEntry = (
    Opened | Observed | Measured | ImageKnown | SumsKnown | RomRead | PinsProbed | Swapped | Removed | Fitted
    | StepDone | Started | SymptomSeen | CheckResult | NotTestable | Decided | CautionSeen | Note | Retracted
    | Photographed | PhotoAligned | HandedBack | Lifted | ChainDescribed
    | PhotoOf | TakenApart | PutBack | Assumed | GaveBack | SignatureTaken
)  # fmt: skip
Entry = Annotated[AnyEntry, Field(discriminator="kind")]
_ADAPTER: TypeAdapter[AnyEntry] = TypeAdapter(Entry)


def read_entry(line: str | bytes, place: str = "entry") -> AnyEntry:
    """One entry from its JSON line. UserFileError names `place` and the first thing wrong with it."""
    try:
        return _ADAPTER.validate_json(line)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(p) for p in first["loc"])
        version = _version_of(line)
        if version is not None and version > ENTRY_VERSION:
            remedy = "update Loyal Trace to read it; nothing was changed"
            raise UserFileError(place, f"the entry is from a newer version ({version})", remedy) from None
        raise UserFileError(place, f"not a logbook entry ({where}: {first['msg']})") from None


def _version_of(line: str | bytes) -> int | None:
    from pydantic_core import from_json

    try:
        found: Any = from_json(line)
    except ValueError:
        return None
    version = found.get("v") if isinstance(found, dict) else None
    return version if isinstance(version, int) else None


def write_entry(entry: AnyEntry) -> str:
    """The entry as one line of JSON; `read_entry` gives an equal entry back."""
    return entry.model_dump_json()
