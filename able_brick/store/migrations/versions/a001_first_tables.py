"""First tables. A file whose making was cut off may have some of them already."""

import sqlalchemy as sa
from alembic import op

revision = "a001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "meta",
        sa.Column("key", sa.String, primary_key=True),
        sa.Column("value", sa.String, nullable=False),
        if_not_exists=True,
    )
    op.create_table(
        "level_state",
        sa.Column("level", sa.String, primary_key=True),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("done", sa.Integer, nullable=False),
        if_not_exists=True,
    )
    op.create_table(
        "row",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("level", sa.String),
        sa.Column("kind", sa.String, nullable=False),
        sa.Column("mesh", sa.String),
        sa.Column("format", sa.Integer, nullable=False),
        sa.Column("payload", sa.String, nullable=False),
        if_not_exists=True,
    )
    op.create_index("ix_row_level", "row", ["level"], if_not_exists=True)
    op.create_index("ix_row_mesh", "row", ["mesh"], if_not_exists=True)
    op.create_table(
        "journal",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("level", sa.String, sa.ForeignKey("level_state.level"), nullable=False),
        sa.Column("place", sa.Integer, nullable=False),
        sa.Column("tool", sa.String, nullable=False),
        sa.Column("params", sa.String, nullable=False),
        sa.Column("selection", sa.String, nullable=False),
        sa.Column("note", sa.String, nullable=False),
        sa.Column("adjustable", sa.Boolean, nullable=False),
        sa.Column("format", sa.Integer, nullable=False),
        sa.Column("edits", sa.LargeBinary, nullable=False),
        sa.UniqueConstraint("level", "place"),
        if_not_exists=True,
    )
    op.create_table(
        "journal_mesh",
        sa.Column("entry", sa.Integer, sa.ForeignKey("journal.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("mesh", sa.String, primary_key=True),
        if_not_exists=True,
    )
    op.create_index("ix_journal_mesh_mesh", "journal_mesh", ["mesh"], if_not_exists=True)
    op.create_table(
        "mesh",
        sa.Column("hash", sa.String, primary_key=True),
        sa.Column("format", sa.Integer, nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
        if_not_exists=True,
    )


def downgrade() -> None:
    for table in ("mesh", "journal_mesh", "journal", "row", "level_state", "meta"):
        op.drop_table(table)
