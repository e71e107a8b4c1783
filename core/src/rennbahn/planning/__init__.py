"""Plan: fair setups, enough passes, the right order, in time.

- `fairness` lists and weighs what differs between lanes; `steadiness` what changes within one while a study runs.
- `cautions` holds settings against what makers say must not be crossed.
- `passes` and `needs` say how many passes a question needs and what a number of them can tell; `sequential` when one
  may look early.
- `schedule`, `changes`, `order` and `timeline` lay the passes out in time.
"""
