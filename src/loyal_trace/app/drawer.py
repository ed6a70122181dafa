"""The workshop's drawer: read, changed and written as one file, whole or not at all."""

import re
from pathlib import Path

from loyal_trace.app.workshop import DRAWER_FILE
from loyal_trace.core.parts.stock import STATE_WORDS, State, StockItem, spec_of_words, state_word
from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.formats.drawer import DrawerFile, item_of, parse_drawer, read_drawer
from loyal_trace.formats.rom_files import read_file
from loyal_trace.formats.whole_file import write_whole

_WORDS = re.compile(
    r"(?:(?P<count>\d{1,5})\s*[x×]\s+|(?P<plain>\d{1,5})\s+(?=\w*[A-Za-z]))?(?P<number>.+?)"
    r"(?:\s+in\s+(?P<place>[^,]{1,40}?))?(?:\s*,\s*(?P<state>untested|unknown|good|proven|tested|bad|reserved|borrowed))?",
    re.IGNORECASE,
)


def load_drawer(folder: Path) -> DrawerFile:
    """The drawer of a store folder; an empty one where there is none. UserFileError for one that cannot be read."""
    path = folder / DRAWER_FILE
    return read_drawer(read_file(path), str(path)) if path.exists() else DrawerFile(name=str(path))


def save_drawer(folder: Path, drawer: DrawerFile) -> None:
    """Writes the drawer; MachineError leaves the old one as it was."""
    write_whole(folder / DRAWER_FILE, drawer.text().encode(), "drawer", make_folders=True, private=True)


def item_from_words(text: str) -> StockItem:
    """`3x 74LS166 in tray 3, untested` or `10x 100u 25V 6.3x11 in tray B, good`; RequestError for what is neither."""
    match = _WORDS.fullmatch(" ".join(text.split()))
    if match is None or not re.match(r"[\w(]", match["number"]) or match["count"] == "0" or match["plain"] == "0":
        raise RequestError(say("“{text}” names no part; write, for example, 3x 74LS166 in tray 3, untested", text=text))
    number = match["number"].strip()
    spec = spec_of_words(number)
    state = STATE_WORDS[(match["state"] or "").lower()]
    count = int(match["count"] or match["plain"] or 1)
    place = (match["place"] or "").strip()
    if spec.value is None:
        return StockItem(number.upper() if " " not in number else number, "chip", count, place=place, state=state)
    return StockItem(
        number,
        "capacitor",
        count,
        spec.value,
        spec.voltage,
        spec.technology,
        spec.diameter,
        spec.height,
        spec.pitch,
        place,
        state,
        spec.temperature,
        spec.hours,
        spec.ripple,
        spec.esr,
        spec.mounting,
        spec.series,
    )


def bought_items(data: bytes, name: str) -> list[StockItem]:
    """The list of a bought kit: a CSV of the drawer's kind, or a line of words for each bag."""
    if b"number" in data.split(b"\n", 1)[0].lower():
        return list(parse_drawer(data, name))
    found = []
    for number, line in enumerate(data.decode("utf-8", "replace").splitlines(), start=1):
        try:
            found += [item_from_words(line.strip())] if line.strip() and not line.lstrip().startswith("#") else []
        except RequestError as error:
            raise UserFileError(say("{name}, line {line}", name=name, line=number), str(error)) from None
    return found


def with_state(
    drawer: DrawerFile, number: str, state: State, place: str = "", keeper: str = ""
) -> tuple[DrawerFile, StockItem]:
    """The drawer with an item in another state, and the item; RequestError for none, or several without a place."""
    found = drawer.find(number, place)
    if not found:
        raise RequestError(say("the drawer has no {number}", number=number))
    places = joined(", ", (drawer.rows[n].get("place", "") or say("no place") for n in found))
    if len(found) > 1:
        raise RequestError(say("{number} lies in {places}: name the place", number=number, places=places))
    cells = {"state": state_word(state)}
    if keeper or state not in (State.RESERVED, State.BORROWED):
        cells["keeper"] = keeper
    changed = drawer.changed(found[0], **cells)
    return changed, item_of(changed.rows[found[0]], changed.where(found[0]))


def item_words(item: StockItem) -> str:
    """An item in one line, as it can be typed again."""
    state = term(state_word(item.state))
    place = say(" in {place}", place=item.place) if item.place else ""
    keeper = say(" (for {keeper})", keeper=item.keeper) if item.keeper else ""
    donor = say(" (still on {donor})", donor=item.donor) if item.donor else ""
    return say(
        "{count}x {number}{place}, {state}{keeper}{donor}",
        count=item.count,
        number=item.number,
        place=place,
        state=state,
        keeper=keeper,
        donor=donor,
    )
