"""Files that come with the package."""

from __future__ import annotations

import pkgutil


def packaged(package: str, name: str) -> bytes:
    """The file `name` (with slashes) beside the modules of a package."""
    # importlib.resources would take longer to import than a small world to check
    content = pkgutil.get_data(package, name)
    assert content is not None, "the loader of this package can read its files"
    return content
