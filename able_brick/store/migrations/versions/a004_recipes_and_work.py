"""Recipes by name, and long work that has begun.

Revision ID: a004
Revises: a003
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "a004"
down_revision = "a003"


def upgrade() -> None:
    op.create_table(
        "recipe",
        sa.Column("name", sa.String, primary_key=True),
        sa.Column("settings", sa.String, nullable=False),
        if_not_exists=True,
    )
    op.create_table(
        "work",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("title", sa.String, nullable=False),
        if_not_exists=True,
    )


def downgrade() -> None:
    for table in ("work", "recipe"):
        op.drop_table(table)
