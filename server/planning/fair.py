"""Is a study fair: what differs between its lanes, what was accepted, what changed while it ran."""

from __future__ import annotations

from collections.abc import Sequence

from bench.queries import description_of, whole_versions
from django.db.models import Count
from django.db.models.functions import Coalesce
from page_marks import mark_of
from rennbahn.plain import plain
from rennbahn.planning.fairness import Difference, Fairness, Objection, Pairing
from rennbahn.planning.steadiness import RunWith, watch
from studies.models import Pass, PassState, Study

from planning.building import fairness_of
from planning.fair_schemas import AcceptanceOut, CaveatOut, ChangedOut, DifferenceOut, ObjectionOut, PairingOut, SameOut
from planning.models import Acceptance


def pairings_out(fairness: Fairness) -> list[PairingOut]:
    """Each lane against the baseline."""
    return [_pairing_out(one) for one in fairness.pairings]


def objections_out(study: Study, fairness: Fairness) -> list[ObjectionOut]:
    """What has to be mended or accepted, with what was accepted of it."""
    accepted = {
        (one.key, one.about, one.weight): AcceptanceOut(reason=one.reason, by=one.by.get_username(), at=one.at)
        for one in Acceptance.objects.filter(study=study).select_related("by")
    }
    return [
        ObjectionOut(**plain(one), acceptance=accepted.get((one.key, one.about, one.weight)))
        for one in fairness.objections
    ]


def unanswered(study: Study, fairness: Fairness) -> list[Objection]:
    """What nobody accepted as it is now: an acceptance outlives neither the difference nor its weight."""
    accepted = set(Acceptance.objects.filter(study=study).values_list("key", "about", "weight"))
    return [one for one in fairness.objections if (one.key, one.about, one.weight) not in accepted]


def objections_mark(fairness: Fairness) -> str:
    """A mark of all that was to be mended or accepted."""
    return mark_of(sorted([one.key, one.about, one.weight] for one in fairness.objections))


def caveats_of(study: Study) -> list[CaveatOut]:
    """What prints with every finding of a study; of a scaling or swept factor nothing, for that is the question."""
    found = [
        CaveatOut(
            label=one.label, about=one.about, weight=one.weight, accepted=one.acceptance is not None,
            reason=one.acceptance.reason if one.acceptance else one.reason,
        )
        for one in objections_out(study, fairness_of(study))
    ]  # fmt: skip
    found += [
        CaveatOut(
            label=f"{one.label} changed during the study",
            about=f"{one.lane}, from {one.on} on: {one.before or 'nothing'} → {one.after or 'nothing'}",
            weight=one.weight,
            reason=one.reason,
            accepted=False,
        )
        for one in changed_within(study)
    ]
    where = (
        Pass.objects.filter(test__study=study, state=PassState.ACCEPTED, session__isnull=False)
        .values_list("lane__name", "session__machine__name", "session__simulated")
        .annotate(passes=Count("pk"))
        .order_by("lane", "session__machine")
    )
    ran = list(where)
    found += _machines([(lane, name) for lane, name, simulated, _ in ran if name and not simulated])
    simulated = sum(passes for _, _, simulated, passes in ran if simulated)
    if simulated:
        found.insert(0, _simulated(simulated))
    return found


def _machines(ran: Sequence[tuple[str, str]]) -> list[CaveatOut]:
    """Lanes that were run at different test machines: whatever differs between those, differs between the lanes."""
    at: dict[str, list[str]] = {}
    for lane, machine in ran:
        at.setdefault(lane, []).append(machine)
    if len({tuple(sorted(names)) for names in at.values()}) < 2:
        return []
    told = "; ".join(f"{lane} at {' and '.join(names)}" for lane, names in at.items())
    return [
        CaveatOut(
            label="Test machine", about=told, weight="mind",
            reason="what differs between the machines beside what is asked stands in the margin as well",
            accepted=False,
        )
    ]  # fmt: skip


def _simulated(count: int) -> CaveatOut:
    """What stands before everything else said of a study that was run on the simulated bench."""
    return CaveatOut(
        label="Simulated bench",
        about="one accepted pass is simulated" if count == 1 else f"{count} accepted passes are simulated",
        weight="spoils",
        reason="the simulated bench makes up what it plays: nothing of this is a result",
        accepted=False,
    )


def changed_within(study: Study) -> list[ChangedOut]:
    """What changed within a lane from pass to pass; rejected passes do not count."""
    counting = Pass.objects.filter(
        test__study=study, setup_version__isnull=False, state__in=(PassState.RECORDED, PassState.ACCEPTED)
    )
    found = set(counting.values_list("setup_version", "setup_version__setup", "lane").order_by().distinct())
    setups = {version: setup for version, setup, _ in found}
    versions = set(setups)
    # Neither did a lane change its setup, nor do lanes that share one have two versions of it.
    if len({lane for *_, lane in found}) == len(found) and len(set(setups.values())) == len(versions):
        return []
    run = list(
        counting.select_related("lane", "test__scene__game", "test__condition")
        .annotate(when=Coalesce("ran_at", "recorded_at"))
        .order_by("when", "pk")
    )
    described = {version.pk: description_of(version) for version in whole_versions().filter(pk__in=versions)}
    runs = [
        RunWith(
            str(p.lane_id),
            p.test.scene.game.name,
            described[p.setup_version_id or 0],
            machine=str(setups[p.setup_version_id or 0]),
        )
        for p in run
    ]
    return [
        ChangedOut(
            lane=run[one.before].lane.name,
            pass_id=run[one.before].pk,
            on=str(run[one.before]),
            label=one.change.label,
            before=one.change.a,
            after=one.change.b,
            weight=one.change.weight,
            reason=one.change.reason,
        )
        for one in watch(runs)
    ]


def _pairing_out(one: Pairing) -> PairingOut:
    return PairingOut(
        lane=one.b,
        factor=[_difference_out(found) for found in one.factor],
        differences=[_difference_out(found) for found in one.differences],
        same=[SameOut(**plain(found)) for found in one.same],
    )


def _difference_out(one: Difference) -> DifferenceOut:
    return DifferenceOut(key=one.key, label=one.label, a=one.a, b=one.b, weight=one.weight, reason=one.reason)
