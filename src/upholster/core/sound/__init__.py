"""Sound of a fitting: its layers placed in time, faded, mixed, measured."""
