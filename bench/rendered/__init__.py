"""Plates by a physically based renderer: bounce light, gloss and translucency that nobody invented."""
