"""Make the golden files anew, all or those that are named."""

from __future__ import annotations

import sys

from tests.golden import PICTURES, made, path_of

for name in sys.argv[1:] or PICTURES:
    try:
        path_of(name).write_text(made(name))
    except Exception as error:
        print(name, type(error).__name__, error)
