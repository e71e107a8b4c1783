"""A connection to a cluster of the tests."""

from __future__ import annotations

import psycopg
from cluster import Cluster


def connect(cluster: Cluster, password: str = "") -> psycopg.Connection[tuple[object, ...]]:
    found = cluster.environment()
    return psycopg.connect(
        host=found["RENNBAHN_DB_HOST"],
        port=found["RENNBAHN_DB_PORT"],
        user=found["RENNBAHN_DB_USER"],
        password=password or found["RENNBAHN_DB_PASSWORD"],
        dbname=found["RENNBAHN_DB_NAME"],
        autocommit=True,
    )
