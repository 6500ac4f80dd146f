"""The farm document, in and out."""
