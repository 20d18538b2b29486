"""Static files with a digest in their names, also where one script takes another in."""

from __future__ import annotations

from whitenoise.storage import CompressedManifestStaticFilesStorage

__all__ = ["StaticFiles"]


class StaticFiles(CompressedManifestStaticFilesStorage):  # type: ignore[misc]  # whitenoise has no types
    """Our own scripts, which lie in folders called js, import each other by the names they have once they are collected.

    What was vendored is left as it is: other packages' scripts name files that are not there.
    """

    patterns = (
        *CompressedManifestStaticFilesStorage.patterns,
        ("*/js/*.js", CompressedManifestStaticFilesStorage._js_module_import_aggregation_patterns[1]),
    )
