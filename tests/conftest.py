"""Shared fixtures. With LOYAL_TRACE_BLOCK_QT=1 the core tests run with PyQt6 made impossible to import."""

import os
import sys
from importlib.abc import MetaPathFinder

import pytest
from hypothesis import settings

if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
    os.environ["QT_QPA_PLATFORM"] = "offscreen"

# English texts and figures, whatever the machine speaks; tests of other languages say which.
os.environ.pop("LANGUAGE", None)
os.environ["LC_ALL"] = "C.UTF-8"

settings.register_profile("steady", derandomize=True, deadline=None, print_blob=True)
settings.load_profile("steady")


class _NoQt(MetaPathFinder):
    def find_spec(self, name, path=None, target=None):
        if name.partition(".")[0] == "PyQt6":
            raise ImportError("PyQt6 is blocked: the core must not need it")
        return


if os.environ.get("LOYAL_TRACE_BLOCK_QT"):
    sys.meta_path.insert(0, _NoQt())


@pytest.fixture(scope="session", autouse=True)
def own_cache(tmp_path_factory):
    """What is kept for the next time is kept for the tests alone."""
    os.environ["XDG_CACHE_HOME"] = str(tmp_path_factory.mktemp("cache"))


@pytest.fixture(scope="session")
def library():
    from loyal_trace.resources import chip_library

    return chip_library()
