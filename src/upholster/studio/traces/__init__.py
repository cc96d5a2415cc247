"""Traces of shots: run, followed, called off, and looked at while they are brushed."""
