"""The trace's network: what cues around an outline are worth together."""
