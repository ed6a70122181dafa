"""What a signal does while it is looked at: steady low, steady high, pulsing, or anything."""

from collections.abc import Mapping

# 0 or 1 steady, "P" seen at both levels again and again, "?" anything, "C" steady at a level nobody knows.
Drive = int | str
Drives = Mapping[str, Drive]
BEHAVIOURS: tuple[Drive, ...] = (0, 1, "P")
DRIVE_OF_STATE: Mapping[str, Drive] = {"L": 0, "H": 1, "P": "P"}
