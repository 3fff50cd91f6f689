"""Chunks as differences, how far back undo reaches, and the last document known to be whole."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("ALTER TABLE blob ADD COLUMN base VARCHAR REFERENCES blob (hash)")
    op.add_column("blob", sa.Column("depth", sa.Integer, nullable=False, server_default="0"))
    op.create_index("blob_base", "blob", ["base"], sqlite_where=sa.text("base IS NOT NULL"))
    op.add_column("project", sa.Column("undo_steps", sa.Integer, nullable=False, server_default="0"))
    op.add_column("project", sa.Column("undo_floor", sa.Integer, nullable=False, server_default="0"))
    op.create_table(
        "good_state",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("head", sa.Integer, nullable=False),
        sa.Column("document", sa.Text, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("good_state")
    op.drop_column("project", "undo_floor")
    op.drop_column("project", "undo_steps")
    op.drop_index("blob_base", "blob")
    op.drop_column("blob", "depth")
    op.drop_column("blob", "base")
