"""The rules and the arithmetic of Rennbahn.

This library knows nothing of databases, networks or the time of day. It reads captures
(:mod:`rennbahn.capture`), computes the figures of one capture (:mod:`rennbahn.measures`), and compares
lanes over passes, tests and suites (:mod:`rennbahn.comparing`). ``docs/measures.md`` says in words what
every figure means.
"""

#: Version of the definitions. Figures are stored with it and made again when it changes.
MEASURES_VERSION = 4
