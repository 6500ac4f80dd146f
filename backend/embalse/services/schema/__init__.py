"""Parts of the farm document, one module a subject."""
