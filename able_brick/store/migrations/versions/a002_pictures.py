"""Textures by hash, and thumbnails of the shelf.

Revision ID: a002
Revises: a001
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "a002"
down_revision = "a001"


def upgrade() -> None:
    op.create_table(
        "texture",
        sa.Column("hash", sa.String, primary_key=True),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("media", sa.String, nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
        if_not_exists=True,
    )
    op.create_table(
        "thumbnail",
        sa.Column("key", sa.String, primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
        if_not_exists=True,
    )


def downgrade() -> None:
    for table in ("thumbnail", "texture"):
        op.drop_table(table)
