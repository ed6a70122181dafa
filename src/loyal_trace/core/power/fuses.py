"""What is printed on a fuse besides its rating: its speed."""

_SPEEDS = {
    "slow": ("slow", "t", "slo-blo", "time-lag", "anti-surge"),
    "fast": ("fast", "f", "quick"),
    "very fast": ("ff", "ultrafast", "semiconductor"),
}


def fuse_type(text: str) -> str:
    """`slow`, `fast` or `very fast` when a word of the text says so; empty otherwise."""
    words = text.lower().replace(",", " ").split()
    return next((speed for speed, names in _SPEEDS.items() if any(word in names for word in words)), "")
