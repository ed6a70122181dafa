"""Walks the accessibility tree of the real window over the real bus, and prints what is there as JSON.

Runs inside `dbus-run-session` under a virtual display: `bus_walk.py STORE`. A client of its own, in its own process.
"""

import json
import os
import subprocess
import sys
import time
from pathlib import Path

from jeepney import DBusAddress, Properties, new_method_call
from jeepney.io.blocking import open_dbus_connection

ROOT = "/org/a11y/atspi/accessible/root"
ACCESSIBLE, ACTION = "org.a11y.atspi.Accessible", "org.a11y.atspi.Action"
TABLES = {"table", "tree table", "tree", "list"}
LEAVES = {"label", "push button", "button", "menu", "menu item", "separator", "text"}
_MOST = 4000


class Bus:
    """The accessibility bus, with the few questions that are asked of it."""

    def __init__(self):
        session = open_dbus_connection("SESSION")
        bus = DBusAddress("/org/a11y/bus", "org.a11y.Bus", "org.a11y.Bus")
        (address,) = session.send_and_get_reply(new_method_call(bus, "GetAddress")).body
        self.connection = open_dbus_connection(address)

    def call(self, at, interface, method, signature=None, body=()):
        address = DBusAddress(at[1], at[0], interface)
        reply = self.connection.send_and_get_reply(new_method_call(address, method, signature, body), timeout=20)
        # What has left the screen meanwhile answers with an error: it has no children, no role, no actions.
        return reply.body if reply.header.message_type.name == "method_return" else ([], "")

    def property(self, at, interface, name):
        reply = self.connection.send_and_get_reply(
            Properties(DBusAddress(at[1], at[0], interface)).get(name), timeout=20
        )
        return reply.body[0][1] if reply.header.message_type.name == "method_return" else None

    def children(self, at):
        return [tuple(child) for child in self.call(at, ACCESSIBLE, "GetChildren")[0]]

    def role(self, at):
        return self.call(at, ACCESSIBLE, "GetRoleName")[0] or "gone"

    def actions(self, at):
        if ACTION not in self.call(at, ACCESSIBLE, "GetInterfaces")[0]:
            return []
        return [name for name, _, _ in self.call(at, ACTION, "GetActions")[0]]

    def states(self, at):
        words = self.call(at, ACCESSIBLE, "GetState")[0]
        return words[0] | words[1] << 32 if words else 0


def application(bus):
    """Our application, once it has come to the bus."""
    for _ in range(300):
        for one in bus.children(("org.a11y.atspi.Registry", ROOT)):
            if "oyal" in (bus.property(one, ACCESSIBLE, "Name") or ""):
                return one
        time.sleep(0.1)
    raise SystemExit("the window never came to the bus")


def walk(bus, at, found, depth=0):
    """Every control with role, name, actions and rows; the cells of tables are asked for by the table, not walked."""
    role, name = bus.role(at), bus.property(at, ACCESSIBLE, "Name") or ""
    shown = bool(bus.states(at) >> 25 & 1)  # ATSPI_STATE_SHOWING
    entry = {"role": role, "name": name, "depth": depth, "showing": shown, "actions": bus.actions(at), "rows": 0}
    entry["focusable"], entry["focused"] = bool(bus.states(at) >> 11 & 1), bool(bus.states(at) >> 12 & 1)
    entry["description"] = bus.property(at, ACCESSIBLE, "Description") or ""
    found.append(entry)
    count = bus.property(at, ACCESSIBLE, "ChildCount") or 0
    entry["rows"] = count
    if role in TABLES or count > 500 or len(found) > _MOST:
        return
    for child in bus.children(at):
        walk(bus, child, found, depth + 1)


def find(bus, at, role, name):
    """The first control of a role and name that is showing."""
    here = bus.role(at)
    if here == role and name in (bus.property(at, ACCESSIBLE, "Name") or "") and bus.states(at) >> 25 & 1:
        return at
    if here in TABLES or here in LEAVES:
        return None
    return next((hit for hit in (find(bus, child, role, name) for child in bus.children(at)) if hit), None)


def status(bus, app, name):
    at = find(bus, app, "label", name)
    return bus.property(at, ACCESSIBLE, "Name") if at else ""


def main():
    environment = {**os.environ, "QT_QPA_PLATFORM": "xcb", "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1"}
    command = [
        str(Path(sys.executable).with_name("loyal-trace")),
        "--demo",
        "--store",
        sys.argv[1],
        "--stage",
        "suspects",
    ]
    window = subprocess.Popen(command, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        bus = Bus()
        app = application(bus)
        for _ in range(300):
            if find(bus, app, "label", "Which part is faulty"):
                break
            time.sleep(0.1)
        found = []
        walk(bus, app, found)
        button = find(bus, app, "push button", "Go to the measurement") or find(
            bus, app, "button", "Go to the measurement"
        )
        pressed = False
        if button:
            bus.call(button, ACTION, "DoAction", "i", (0,))
            for _ in range(100):
                if find(bus, app, "label", "What to replace"):
                    pressed = True
                    break
                time.sleep(0.05)
        print(json.dumps({"found": found, "pressed": pressed}))
    finally:
        window.terminate()
        window.wait(20)


if __name__ == "__main__":
    sys.path.insert(0, str(Path(__file__).resolve().parents[2] / "src"))
    main()
