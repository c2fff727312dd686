"""Checksums of what is stored, the rule by which meshes were hashed, and formats of parameters and recipes.

Revision ID: a005
Revises: a004
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "a005"
down_revision = "a004"


def _add(table: str, *columns: sa.Column[int]) -> None:
    there = {c["name"] for c in sa.inspect(op.get_bind()).get_columns(table)}
    for column in columns:
        if column.name not in there:
            op.add_column(table, column)


def upgrade() -> None:
    _add("row", sa.Column("crc", sa.Integer))
    _add("mesh", sa.Column("crc", sa.Integer), sa.Column("rule", sa.Integer))
    _add("journal", sa.Column("params_format", sa.Integer, nullable=False, server_default="1"))
    _add("recipe", sa.Column("format", sa.Integer, nullable=False, server_default="1"))
    # pictures of the shelf that nobody has looked at for longest go first
    _add("thumbnail", sa.Column("used", sa.Integer, nullable=False, server_default="0"))


def downgrade() -> None:
    for table, columns in (
        ("row", ("crc",)),
        ("mesh", ("crc", "rule")),
        ("journal", ("params_format",)),
        ("recipe", ("format",)),
        ("thumbnail", ("used",)),
    ):
        with op.batch_alter_table(table) as batch:
            for column in columns:
                batch.drop_column(column)
