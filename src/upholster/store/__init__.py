"""What the database keeps: models, sessions, migrations. It never holds pixels."""
