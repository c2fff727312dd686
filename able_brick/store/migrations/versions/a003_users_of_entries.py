"""What showed the pieces whose place a step changed under them.

Revision ID: a003
Revises: a002
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "a003"
down_revision = "a002"


def upgrade() -> None:
    there = {c["name"] for c in sa.inspect(op.get_bind()).get_columns("journal")}
    if "users" not in there:
        op.add_column("journal", sa.Column("users", sa.String))


def downgrade() -> None:
    with op.batch_alter_table("journal") as batch:
        batch.drop_column("users")
