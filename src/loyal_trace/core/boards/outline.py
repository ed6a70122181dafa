"""How large a part is drawn on the board map (millimetres): from its package, with room for its name in a DIP; and
how small its body may be."""

import re

from loyal_trace.core.boards.model import Part

_ROW_SPACING = {40: 15.2, 28: 15.2, 24: 15.2}
_DRAWN_HEIGHT = {40: 19.0, 28: 19.0, 24: 19.0}
_PINS_TOLD = re.compile(r"(\d{1,3})[ -]?(?:pin|way)", re.IGNORECASE)
_PLUG = 24.0
_BY_KIND = {
    "chip": (22.0, 12.5),
    "bridge": (20.0, 16.0),
    "regulator": (12.0, 18.0),
    "crystal": (11.0, 6.0),
    "fuse": (20.0, 7.0),
    "via": (2.0, 2.0),
    "network": (22.0, 5.0),
    "amplifier": (22.0, 9.0),
    "control": (12.0, 12.0),
}


def pin_count(part: Part) -> int:
    """The number that ends the package name (DIP-28 → 28), 0 when there is none."""
    found = re.search(r"(\d+)$", part.package)
    return int(found[1]) if found else 0


def body_size(part: Part) -> tuple[float, float]:
    """(width, height) in millimetres as the part lies on the board, its rotation taken into account."""
    width, height = _lying(part)
    return (height, width) if part.rotation % 180 else (width, height)


def _lying(part: Part) -> tuple[float, float]:
    if part.package.startswith("DIP-"):
        pins = pin_count(part)
        return pins / 2 * 2.54 + 3, _DRAWN_HEIGHT.get(pins, 12.5)
    if part.kind == "capacitor":
        if part.polarised:
            across = max(part.diameter or 0.0, 12.0)
            return across, across
        return 9.5, 5.5
    if part.kind == "connector":
        told = _PINS_TOLD.search(part.number)
        if pin_count(part):
            return min(150.0, pin_count(part) / 2 * 3.4 + 6), 11.0
        return (min(150.0, int(told[1]) * 2.54 + 4) if told else _PLUG), 9.0
    return _BY_KIND.get(part.kind, (10.0, 6.0))


def smallest_body(part: Part) -> tuple[float, float]:
    """(width, height) of a body in millimetres as it lies, rather too small than too large."""
    pins = pin_count(part)
    if part.package.startswith("DIP-"):
        width, height = pins / 2 * 2.54, _ROW_SPACING.get(pins, 7.62)
    elif part.kind == "capacitor" and part.diameter:
        width = height = part.diameter
    elif part.kind == "capacitor":
        width, height = 4.0, 2.5
    else:
        width, height = (side / 2 for side in _lying(part))
    return (height, width) if part.rotation % 180 else (width, height)


def pin_places(part: Part) -> dict[int, tuple[float, float]]:
    """Centre of every DIP pin (mm), pin 1 at the lower left of a part that lies at rotation 0; empty otherwise."""
    if not part.package.startswith("DIP-"):
        return {}
    pins = pin_count(part)
    half, spacing = pins // 2, _ROW_SPACING.get(pins, 7.62)
    places = {}
    for pin in range(1, pins + 1):
        along = pin - 1 if pin <= half else pins - pin
        dx = (along - (half - 1) / 2) * 2.54
        dy = spacing / 2 if pin <= half else -spacing / 2
        places[pin] = _turned(part, dx, dy)
    return places


def _turned(part: Part, dx: float, dy: float) -> tuple[float, float]:
    for _ in range(part.rotation // 90 % 4):
        dx, dy = -dy, dx
    return part.x + dx, part.y + dy
