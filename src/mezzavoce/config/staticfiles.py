"""Static files with a hash in their names, module imports included, so that they can be cached for ever."""

from whitenoise.storage import CompressedManifestStaticFilesStorage


class HashedModules(CompressedManifestStaticFilesStorage):  # type: ignore[misc]
    """Also rewrites ``import … from "./x.js";`` to the hashed names."""

    support_js_module_import_aggregation = True
