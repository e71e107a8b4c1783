"""Copies of the archived studies of a filled database, by the database itself: a million passes in minutes."""

from __future__ import annotations

import psycopg
from psycopg import sql

_STUDIES = "SELECT id FROM studies_study WHERE id < {far} AND question LIKE 'Filled study %, archived'"
_PASSES = f"SELECT p.id FROM studies_pass p JOIN studies_test t ON t.id = p.test_id WHERE t.study_id IN ({_STUDIES})"
_CAPTURES = f"SELECT id FROM intake_capture WHERE on_pass_id IN ({_PASSES})"
#: Tables with which of their rows are of those studies.
_ROWS = {
    "studies_study": f"id IN ({_STUDIES})",
    "studies_lane": f"study_id IN ({_STUDIES})",
    "studies_test": f"study_id IN ({_STUDIES})",
    "studies_pass": f"id IN ({_PASSES})",
    "intake_arrival": f"study_id IN ({_STUDIES})",
    "intake_capture": f"id IN ({_CAPTURES})",
    "intake_passfile": f"on_pass_id IN ({_PASSES})",
    "intake_capturefigures": f"capture_id IN ({_CAPTURES})",
    "intake_allfigures": f"row_id IN (SELECT id FROM intake_capturefigures WHERE capture_id IN ({_CAPTURES}))",
    "intake_passdoubt": f"on_pass_id IN ({_PASSES})",
}
#: Ids of a copy begin so far from those of the one before.
FAR = 20_000_000


def multiply(connection: psycopg.Connection, passes: int) -> None:
    """Copy the archived studies until there are so many passes."""
    total, archived = (
        (connection.execute(f"SELECT count(*) FROM ({rows}) x").fetchone() or (0,))[0]
        for rows in ("SELECT id FROM studies_pass", _PASSES.format(far=FAR))
    )
    times = 1 + -((total - passes) // archived)
    # Nothing that is copied breaks a rule: rules and what follows from rows is left out.
    connection.execute("SET session_replication_role = replica")
    for table, rows in _ROWS.items():
        shifted = _shifted(connection, table)
        for number in range(1, times):
            by = sql.SQL(" + {}").format(sql.Literal(number * FAR))
            columns, values = [], []
            for name in _columns(connection, table):
                column = sql.Identifier(name)
                columns.append(column)
                values.append(sql.SQL("{}{}").format(column, by) if name in shifted else column)
            copied = sql.SQL("INSERT INTO {table} ({columns}) SELECT {values} FROM {table} WHERE {near} AND ({rows})")
            connection.execute(
                copied.format(
                    table=sql.Identifier(table), columns=sql.SQL(", ").join(columns), values=sql.SQL(", ").join(values),
                    near=sql.SQL("{} < {}").format(sql.Identifier(_key(connection, table)), sql.Literal(FAR)),
                    rows=sql.SQL(rows.format(far=FAR)),
                )
            )  # fmt: skip
    connection.execute("SET session_replication_role = origin")


def _columns(connection: psycopg.Connection, table: str) -> list[str]:
    asked = "SELECT column_name FROM information_schema.columns WHERE table_name = %s ORDER BY ordinal_position"
    return [name for (name,) in connection.execute(asked, [table])]


def _key(connection: psycopg.Connection, table: str) -> str:
    asked = (
        "SELECT a.attname FROM pg_index i JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = i.indkey[0] "
        "WHERE i.indisprimary AND i.indrelid = %s::regclass"
    )
    row = connection.execute(asked, [table]).fetchone()
    assert row
    return str(row[0])


def _shifted(connection: psycopg.Connection, table: str) -> set[str]:
    """The columns of a table with ids of what is copied: its own, and those that lead to other such tables."""
    asked = (
        "SELECT a.attname, c.confrelid::regclass::text FROM pg_constraint c "
        "JOIN pg_attribute a ON a.attrelid = c.conrelid AND a.attnum = c.conkey[1] "
        "WHERE c.contype = 'f' AND c.conrelid = %s::regclass"
    )
    return {_key(connection, table)} | {name for name, to in connection.execute(asked, [table]) if to in _ROWS}
