"""The interface for scripts: JSON under `/api/v1`, described by the same table that serves it."""
