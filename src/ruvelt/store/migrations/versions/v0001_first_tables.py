"""The first tables."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "project",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("uid", sa.String, nullable=False),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("created_at", sa.Float, nullable=False),
        sa.Column("updated_at", sa.Float, nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("head", sa.Integer, nullable=False),
        sa.Column("model", sa.String, nullable=False),
        sa.Column("sheet_rule", sa.String, nullable=False),
        sa.Column("document", sa.Text, nullable=False),
    )
    op.create_table(
        "blob",
        sa.Column("hash", sa.String, primary_key=True),
        sa.Column("shape", sa.Integer, nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    op.create_table(
        "plane_chunk",
        sa.Column("plane", sa.String, primary_key=True),
        sa.Column("chunk", sa.Integer, primary_key=True),
        sa.Column("components", sa.Integer, nullable=False),
        sa.Column("hash", sa.String, sa.ForeignKey("blob.hash"), nullable=False),
    )
    op.create_table(
        "history",
        sa.Column("seq", sa.Integer, primary_key=True),
        sa.Column("label", sa.String, nullable=False),
        sa.Column("created_at", sa.Float, nullable=False),
        sa.Column("edit", sa.Text),
        sa.Column("inverse", sa.Text),
        sa.Column("script", sa.Text),
    )
    op.create_table(
        "history_chunk",
        sa.Column("seq", sa.Integer, sa.ForeignKey("history.seq", ondelete="CASCADE"), primary_key=True),
        sa.Column("plane", sa.String, primary_key=True),
        sa.Column("chunk", sa.Integer, primary_key=True),
        sa.Column("components", sa.Integer, nullable=False),
        sa.Column("before", sa.String),
        sa.Column("after", sa.String),
    )
    op.create_table(
        "version",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("created_at", sa.Float, nullable=False),
        sa.Column("document", sa.Text, nullable=False),
    )
    op.create_table(
        "version_chunk",
        sa.Column("version", sa.Integer, sa.ForeignKey("version.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("plane", sa.String, primary_key=True),
        sa.Column("chunk", sa.Integer, primary_key=True),
        sa.Column("components", sa.Integer, nullable=False),
        sa.Column("hash", sa.String, nullable=False),
    )


def downgrade() -> None:
    for table in ("version_chunk", "version", "history_chunk", "history", "plane_chunk", "blob", "project"):
        op.drop_table(table)
