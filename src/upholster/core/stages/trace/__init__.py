"""Traced mattes."""
