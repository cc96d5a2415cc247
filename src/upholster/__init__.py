"""Upholster: strip the background off a shot; cover any scene with it afterwards."""

from importlib.metadata import version

__version__ = version("upholster")
