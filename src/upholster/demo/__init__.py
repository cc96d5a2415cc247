"""Made-up plates of the Kestrel Lane Paper Theatre, drawn by code, with their true mattes."""
