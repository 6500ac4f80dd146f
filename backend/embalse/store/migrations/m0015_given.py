"""Sets, rain and reference ET that were deleted: kept, so that they can be brought back."""

STATEMENTS = """
ALTER TABLE set_log ADD COLUMN deleted_at INTEGER;
ALTER TABLE rain ADD COLUMN deleted_at INTEGER;
ALTER TABLE eto ADD COLUMN deleted_at INTEGER;
"""
