"""The queue's own tables, as Procrastinate ships them."""

from alembic import op
from procrastinate.schema import SchemaManager

revision = "0001"
down_revision = branch_labels = depends_on = None


def upgrade() -> None:
    # The driver's own cursor, since the script is full of per cent signs that stand for nothing.
    driver = op.get_bind().connection.dbapi_connection
    assert driver is not None
    driver.execute(SchemaManager.get_schema())
