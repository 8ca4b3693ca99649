"""the words of the trade; by whom; findings, rulings, and what is being staged"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None
RENAMED = {"carriage": "push", "kept": "preference"}
SET_KINDS = {"put-away": "archive", "copy": "transfer", "move": "moved"}
JOB_KINDS = {"put-away": "archive", "copy": "transfer"}
PUSH_STATES = {"carried": "pushed", "collided": "conflict"}
#: What was noted as a problem of an entry's text, and is a finding of a check from now on.
CHECKS = (
    "bad-date",
    "bad-duration",
    "bad-parameter",
    "bad-rule",
    "bad-trigger",
    "count-and-until",
    "duration-and-end",
    "end-before-start",
    "exrule",
    "loose-value",
    "misplaced-property",
    "mixed-types",
    "negative-duration",
    "no-start",
    "no-uid",
    "not-a-content-line",
    "odd-rule",
    "override-without-master",
    "repeated-property",
    "rule-too-long",
    "two-masters",
    "unquoted-zone",
    "unresolved-zone",
    "until-type",
    "value-type",
    "zone-contradiction",
)


def _reword(table: str, column: str, words: dict[str, str]) -> None:
    for old, new in words.items():
        op.execute(sa.text(f"UPDATE {table} SET {column} = :new WHERE {column} = :old").bindparams(new=new, old=old))


FILE = "id, name, path, octets, encoding, state, message, created_at, set_id"
GROUP = "id, {}, name, header, summary"


def _files(file: str, group: str, of_file: str, **options: bool) -> None:
    """Files and their parts; a number is never given twice, since versions name the part they came from."""
    texts = [sa.Column(name, sa.String(), nullable=False) for name in ("name", "path", "encoding", "state", "message")]
    numbers = [sa.Column(name, sa.Integer(), nullable=False) for name in ("octets", "created_at")]
    op.create_table(
        file, sa.Column("id", sa.Integer(), nullable=False), *texts, *numbers, sa.Column("set_id", sa.Integer()),
        sa.PrimaryKeyConstraint("id"), **options,
    )
    texts = [sa.Column(name, sa.String(), nullable=False) for name in ("name", "header")]
    op.create_table(
        group, sa.Column("id", sa.Integer(), nullable=False), sa.Column(of_file, sa.Integer(), nullable=False), *texts,
        sa.Column("summary", sa.JSON(), nullable=False), sa.ForeignKeyConstraint([of_file], [f"{file}.id"]),
        sa.PrimaryKeyConstraint("id"), **options,
    )


def _move(old: str, new: str, columns: str) -> None:
    ours, theirs = (columns.format("file_id" if name == "import_group" else "incoming_id") for name in (new, old))
    op.execute(f"INSERT INTO {new} ({ours}) SELECT {theirs} FROM {old}")


def upgrade() -> None:
    for name in (
        "ix_incoming_state",
        "ix_incoming_group_incoming_id",
        "ix_problem_incoming_id",
        "ix_carriage_open",
        "ix_carriage_set_id",
        "ix_carriage_uid",
    ):
        op.execute(f"DROP INDEX {name}")
    for old, new in RENAMED.items():
        op.rename_table(old, new)
    _files("import_file", "import_group", "file_id", sqlite_autoincrement=True)
    _move("incoming", "import_file", FILE)
    _move("incoming_group", "import_group", GROUP)
    op.drop_table("incoming_group")
    op.drop_table("incoming")
    op.execute("ALTER TABLE problem RENAME COLUMN incoming_id TO file_id")
    op.create_index("ix_import_file_state", "import_file", ["state"])
    op.create_index("ix_import_group_file_id", "import_group", ["file_id"])
    op.create_index("ix_problem_file_id", "problem", ["file_id"])
    op.create_index("ix_push_open", "push", ["remote_id", "state"])
    op.create_index("ix_push_set_id", "push", ["set_id"])
    op.create_index("ix_push_uid", "push", ["remote_id", "uid"])
    _reword("push", "state", PUSH_STATES)
    _reword("change_set", "kind", SET_KINDS)
    _reword("job", "kind", JOB_KINDS)
    op.execute(
        "UPDATE job SET params = json_object('files', json_extract(params, '$.incoming'))"
        " WHERE json_extract(params, '$.incoming') IS NOT NULL"
    )
    for table in ("change_set", "job"):
        op.add_column(table, sa.Column("by_whom", sa.String(), nullable=False, server_default="person"))
    op.add_column("calendar", sa.Column("checked", sa.Integer(), nullable=False, server_default="-1"))
    op.add_column("change", sa.Column("component", sa.String(), nullable=False, server_default=""))
    op.execute(
        "UPDATE change SET component = coalesce((SELECT component FROM version"
        " WHERE version.id = coalesce(change.after_id, change.before_id)), '')"
    )
    op.create_table(
        "staging",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("floor", sa.Integer(), nullable=False),
        sa.Column("claim", sa.String(), nullable=False),
        sa.Column("begun_at", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "finding",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("version_id", sa.Integer(), nullable=False),
        sa.Column("code", sa.String(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("line", sa.Integer(), nullable=False),
        sa.Column("message", sa.String(), nullable=False),
        sa.Column("done", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_finding_code", "finding", ["code"])
    op.create_index("ix_finding_version_id", "finding", ["version_id"])
    op.create_table(
        "check_run",
        sa.Column("code", sa.String(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("code"),
    )
    op.create_table(
        "ruling",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("subject", sa.String(), nullable=False),
        sa.Column("verdict", sa.String(), nullable=False),
        sa.Column("reason", sa.String(), nullable=False),
        sa.Column("by_whom", sa.String(), nullable=False),
        sa.Column("made_at", sa.Integer(), nullable=False),
        sa.Column("revoked_at", sa.Integer(), nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_ruling_subject", "ruling", ["kind", "subject"])
    codes = ", ".join(f"'{code}'" for code in CHECKS)
    op.execute(
        "INSERT INTO finding (version_id, code, revision, line, message, done)"
        f" SELECT version_id, code, 0, line, message, done FROM problem"
        f" WHERE version_id IS NOT NULL AND code IN ({codes})"
    )
    op.execute(f"DELETE FROM problem WHERE version_id IS NOT NULL AND code IN ({codes})")
    op.drop_column("problem", "severity")


def downgrade() -> None:
    op.add_column("problem", sa.Column("severity", sa.String(), nullable=False, server_default="untidy"))
    op.execute(
        "INSERT INTO problem (version_id, severity, line, code, message, done, text, uid)"
        " SELECT version_id, 'alters', line, code, message, done, '', '' FROM finding"
    )
    for table in ("ruling", "check_run", "finding", "staging"):
        op.drop_table(table)
    op.drop_column("change", "component")
    op.drop_column("calendar", "checked")
    for table in ("change_set", "job"):
        op.drop_column(table, "by_whom")
    _reword("push", "state", {new: old for old, new in PUSH_STATES.items()})
    _reword("change_set", "kind", {new: old for old, new in SET_KINDS.items()})
    _reword("job", "kind", {new: old for old, new in JOB_KINDS.items()})
    for name in (
        "ix_import_file_state",
        "ix_import_group_file_id",
        "ix_problem_file_id",
        "ix_push_open",
        "ix_push_set_id",
        "ix_push_uid",
    ):
        op.execute(f"DROP INDEX {name}")
    _files("incoming", "incoming_group", "incoming_id")
    _move("import_file", "incoming", FILE)
    _move("import_group", "incoming_group", GROUP)
    op.drop_table("import_group")
    op.drop_table("import_file")
    op.execute("ALTER TABLE problem RENAME COLUMN file_id TO incoming_id")
    for old, new in RENAMED.items():
        op.rename_table(new, old)
    op.create_index("ix_incoming_state", "incoming", ["state"])
    op.create_index("ix_incoming_group_incoming_id", "incoming_group", ["incoming_id"])
    op.create_index("ix_problem_incoming_id", "problem", ["incoming_id"])
    op.create_index("ix_carriage_open", "carriage", ["remote_id", "state"])
    op.create_index("ix_carriage_set_id", "carriage", ["set_id"])
    op.create_index("ix_carriage_uid", "carriage", ["remote_id", "uid"])
