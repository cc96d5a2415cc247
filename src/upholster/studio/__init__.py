"""The use cases: bring in, revise a recipe, look at a frame, render, stock.

`keying` needs neither database nor web server; the command line stands on it alone.
"""
