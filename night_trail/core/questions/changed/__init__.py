"""Why a figure changed from one set of rows to another: by which parts, and what did not change."""
