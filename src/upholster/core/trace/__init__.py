"""Tracing: mattes from brush strokes, carried from frame to frame, where no screen separates a subject."""
