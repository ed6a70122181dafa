"""What can be done with a socket and its images, on each page of the ROMs."""

from collections.abc import Callable

from loyal_trace.app.presenters.model import Action, Question
from loyal_trace.app.presenters.rom_picture import ImageWalk
from loyal_trace.core.vocabulary.phrases import say


def read_three_times(read: Callable[[int], None], main: bool = False) -> Action:
    """Three reads of the same chip."""
    tip = say("Shows an intermittent contact")
    return Action("T", say("Read three times"), lambda: read(3), tip, main=main)


def restore_contents(restore: Callable[[], None], main: bool = False) -> Action:
    """The contents from reads and checksums."""
    tip = say("Computes the contents from its reads and its checksums")
    return Action("M", say("Restore the contents"), restore, tip, main=main)


def byte_actions(walk: ImageWalk, look: Callable[[Callable[[], None]], None]) -> tuple[Action, ...]:
    """Walking over the bytes of an image; nothing of it is recorded."""
    onward = say("Goes to the next byte that differs from the reference image")
    back = say("Goes to the byte before that differs from the reference image")
    return (
        Action("N", say("Next difference"), lambda: look(lambda: walk.move(1)), onward, main=True),
        Action("P", say("Previous difference"), lambda: look(lambda: walk.move(-1)), back),
        Action("Z", say("Zoom in"), lambda: look(lambda: walk.zoom(0.5, walk.offset)), say("Shows fewer addresses")),
        Action("O", say("Zoom out"), lambda: look(lambda: walk.zoom(2.0, walk.offset)), say("Shows more addresses")),
    )


def writing_actions(image: Callable[[str], None], labels: Callable[[str], None], name: str) -> tuple[Action, ...]:
    """A file for the programmer, and labels for the windows."""
    return (
        Action(
            "W",
            say("Write the image"),
            image,
            say("Writes a .bin or .hex file for the programmer"),
            asks=Question(say("Write the reference image"), name, save=True),
        ),
        Action(
            "P",
            say("Print the labels"),
            labels,
            say("Window labels of this board as .svg or .pdf"),
            asks=Question(say("Write the labels"), "labels.pdf", save=True),
        ),
    )


def set_actions(identify: Callable[[], None], learn: Callable[[], None]) -> tuple[Action, ...]:
    """What is asked of the whole set."""
    return (
        Action("I", say("Identify the ROM"), identify, say("Compares it with every board of the store"), main=True),
        Action(
            "L", say("Learn the register"), learn, say("Computes the register of the signature tester from known chips")
        ),
    )
