"""Which database this is: a mark that is another one once it was brought back from a backup, or from another moment.

Ids of what was made since are given to something else then. A page that was opened before still names them, so that
what it writes would be done to another thing: it says of which database it is, and is refused.
"""

from __future__ import annotations

import hashlib

from django.db import connection

#: The header by which the server tells its mark, and a page the one that it knows.
HEADER = "X-Database"
#: A cluster made anew has another identifier, one brought to an earlier moment another timeline, a database that was
#: made anew in its cluster another number. A replica has those of what it copies.
_ASKED = (
    "SELECT (SELECT system_identifier FROM pg_control_system()), (SELECT timeline_id FROM pg_control_checkpoint()), "
    "(SELECT oid::bigint FROM pg_database WHERE datname = current_database())"
)
MESSAGE = "The database was brought back from another moment since this was begun."
HINT = "Copy what you typed, load the page again, and see what there is now. Nothing was done."


def mark() -> str:
    """The mark of this database, asked once a connection."""
    # One that died with the database that it was to says nothing of the one there is now.
    connection.close_if_health_check_failed()
    connection.ensure_connection()
    asked = connection.connection
    known = getattr(connection, "_mark", None)
    if known is None or known[0] is not asked:
        with connection.cursor() as cursor:
            cursor.execute(_ASKED)
            found = hashlib.sha256(repr(cursor.fetchone()).encode()).hexdigest()[:16]
        known = (asked, found)
        connection._mark = known  # type: ignore[attr-defined]
    return str(known[1])
