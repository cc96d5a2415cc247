"""The queue: Procrastinate tasks that call the studio."""
