"""An entry is changed once in a set: of several changes, the first counted, and the others are held from now on."""

from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for side in ("before_id", "after_id"):
        op.execute(
            f"UPDATE change SET held = 1, reason = 'Another change of this set is about the same entry.' WHERE NOT held"
            f" AND EXISTS (SELECT 1 FROM change AS other WHERE other.set_id = change.set_id AND NOT other.held"
            f" AND other.{side} = change.{side} AND other.position < change.position)"
        )
        op.execute(
            f"DELETE FROM change WHERE held AND EXISTS (SELECT 1 FROM change AS other WHERE other.set_id = change.set_id"
            f" AND other.held AND other.{side} = change.{side} AND other.position < change.position)"
        )
    for name, side in (("ix_change_before", "before_id"), ("ix_change_after", "after_id")):
        op.drop_index(name, "change")
        op.create_index(name, "change", [side, "set_id", "held"], unique=True)


def downgrade() -> None:
    for name, side in (("ix_change_before", "before_id"), ("ix_change_after", "after_id")):
        op.drop_index(name, "change")
        op.create_index(name, "change", [side])
