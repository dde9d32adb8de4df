"""Static files under names that change with their content."""

from __future__ import annotations

from whitenoise.storage import CompressedManifestStaticFilesStorage


class HashedStatic(CompressedManifestStaticFilesStorage):  # type: ignore[misc]  # the library has no types
    """Also rewrites the imports between scripts, or each module would be loaded under two names."""

    support_js_module_import_aggregation = True
