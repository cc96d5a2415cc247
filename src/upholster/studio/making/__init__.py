"""From files alone to finished files: keying, retiming, delivering, proving; no database."""
