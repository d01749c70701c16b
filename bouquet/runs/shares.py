"""
Who of a run's readers gets which records: all the same, as a rule; their own file where earlier files left them others.
"""

from __future__ import annotations

import shutil
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from bouquet.core.checks import worst
from bouquet.core.language import tr
from bouquet.core.plan import Plan, resolve
from bouquet.core.template import Only, Template
from bouquet.runs.crossing import crossed_plan
from bouquet.runs.export import Export
from bouquet.runs.exported import Exported, ExportedFile, file_facts
from bouquet.runs.forms import Addressed
from bouquet.runs.remembering import as_only, hold_in_run, narrowed_plan, readers_of, repeated, tells_gone
from bouquet.runs.seen import Cut
from bouquet.runs.services import Services
from bouquet.sources import Snapshot
from bouquet.store.models import Round, Run

__all__ = ["Share", "export_shares", "shares_of"]


@dataclass(frozen=True)
class Share:
    """
    The records that some readers of a run get: recipients by number, and 0 for where its files go otherwise. `asked` is
    what the slip says of it, `gone` the keys of records that are no longer there, None where that is not told.
    """

    readers: tuple[int, ...]
    template: Template
    plan: Plan
    asked: dict[str, Any]
    gone: tuple[tuple[str, ...], ...] | None = None
    #: Records that are new to them; None where they get everything.
    new: int | None = None


def shares_of(services: Services, snapshot: Snapshot, template: Template, plan: Plan, run: Run) -> list[Share]:
    """
    What each reader of a run gets, those together who get the same. The first share is the run's own: of where its
    files go otherwise, or else the largest.
    """
    with services.store.session() as session:
        round_ = session.get(Round, run.round_id) if run.round_id is not None else None
        readers = readers_of(session, round_, template)
    whole = tuple(r for r, only in readers.items() if only == "everything")
    shares = []
    if whole:
        everything = as_only(template, "everything")
        as_it_is = plan if everything is template else resolve(everything, plan.catalogue, plan.context).require()
        shares.append(Share(whole, everything, as_it_is, {}))
    if len(whole) < len(readers):
        shares += _narrowed(services, snapshot, template, plan, run, readers)
    return sorted(shares, key=lambda s: (0 not in s.readers, s.new is not None, -(s.new or 0), s.readers))


def _narrowed(
    services: Services, snapshot: Snapshot, template: Template, plan: Plan, run: Run, readers: dict[int, Only]
) -> list[Share]:
    """
    What those get who want only what is new.
    """
    if run.repeats is not None:
        wanted = {reader: only for reader, only in readers.items() if only != "everything"}
        own = as_only(template, next(iter(wanted.values())))
        left = repeated(services, snapshot, own, plan, run.repeats)
        asked: dict[str, Any] = {"repeats": run.repeats}
        return [Share(tuple(wanted), own, narrowed_plan(own, plan, left), asked, None, left.new)]
    shares = []
    tells = tells_gone(template, run)
    for left in hold_in_run(services, snapshot, template, plan, run, readers):
        own = as_only(template, left.only)
        asked = {"sent_before": left.known}
        if tells:
            asked["gone"] = len(left.gone) + left.unnamed
        gone = left.gone if tells else None
        shares.append(Share(left.readers, own, narrowed_plan(own, plan, left), asked, gone, left.new))
    return shares


def export_shares(
    shares: Sequence[Share],
    format: str,
    folder: Path,
    snapshot: Snapshot,
    asked: dict[str, Any],
    progress: Callable[[str, int | None, int], None],
    addressed: Sequence[Addressed],
    cut: Cut | None = None,
) -> Exported:
    """
    Write what a run makes: the files of the first share, and beside them those of readers who get other records, all
    from one snapshot. `cut` has others help with the first, where that is all there is.

    Raises what `Export.write` does.
    """
    first, *others = shares
    # A recipient may have been removed in the meantime.
    there = {to.id for to in addressed}
    others = [share for share in others if there.intersection(share.readers)]
    apart = {reader for share in others for reader in share.readers}
    common = [to for to in addressed if to.id not in apart]
    plan = crossed_plan(snapshot, first.template, first.plan)
    export = Export(first.template, plan, format, folder, progress, common, gone=first.gone, cut=cut)
    made = export.write(snapshot, {**asked, **first.asked})
    for n, share in enumerate(others):
        inside = folder / f".share-{n}"
        try:
            theirs = _export_share(share, format, inside, snapshot, asked, progress, addressed)
            made = _joined(made, _given(_judged(theirs), share, folder, addressed))
        finally:
            shutil.rmtree(inside, ignore_errors=True)
    return made


def _export_share(
    share: Share,
    format: str,
    folder: Path,
    snapshot: Snapshot,
    asked: dict[str, Any],
    progress: Callable[[str, int | None, int], None],
    addressed: Sequence[Addressed],
) -> Exported:
    to = [one for one in addressed if one.id in share.readers]
    plan = crossed_plan(snapshot, share.template, share.plan)

    def beat(stage: str, announced: int | None, written: int) -> None:
        # How far the run's own file came is what is shown; a run that was cancelled ends here, too.
        progress("checking", announced, written)

    return Export(share.template, plan, format, folder, beat, to, gone=share.gone).write(
        snapshot, {**asked, **share.asked}
    )


def _judged(made: Exported) -> Exported:
    """
    What checks say of a share. Of nothing they say nothing: a recipient for whom nothing is left gets what the round
    says of files without rows. What stops a file keeps it from those whom it is for, and nobody else's.
    """
    if made.rows == 0:
        checks = [{**c, "objections": 0} for c in made.slip["checks"]]
        return replace(made, slip={**made.slip, "checks": checks}, findings=(), objections=0, verdict=None)
    if made.verdict != "stop":
        return made
    stopped = [c["words"] for c in made.slip["checks"] if c["objections"] and c["severity"] == "stop"]
    told = [{**facts, "unmet": [*facts["unmet"], *stopped]} for facts in made.slip["recipients"]]
    return replace(made, slip={**made.slip, "recipients": told}, verdict=None)


def _given(made: Exported, share: Share, folder: Path, addressed: Sequence[Addressed]) -> Exported:
    """
    The files of a share as those of its recipients, each their own; who takes no form of their own gets a copy.
    """
    names = {to.id: to.name for to in addressed}
    files: list[ExportedFile] = []
    said: list[dict[str, Any]] = []
    common = [f for f in made.files if f.recipient is None and f.role != "missing"]
    for facts in made.slip["recipients"]:
        own = [f for f in made.files if f.recipient == facts["id"]]
        taken = [f for f in common if f.role == "gone"] if own else common
        given = [] if facts["unmet"] else [*own, *(_copied(f, facts["id"], folder) for f in taken)]
        files += [_moved(f, folder) if f in own else f for f in given]
        named = [file_facts(f) for f in given]
        told = {**facts, "files": named, "apart": True, "rows": made.rows, **share.asked}
        told.setdefault("sentence", made.slip["sentence"])
        said.append(told)
    files += [_moved(f, folder) for f in made.files if f.role == "missing"]
    who = " and ".join(names[r] for r in share.readers if r in names)
    found = tuple({**f, "words": tr("For {who}: {f}", who=who, f=f["words"])} for f in made.findings)
    slip = {**made.slip, "recipients": said, "checks": [_for(who, c) for c in made.slip["checks"]]}
    return replace(made, files=tuple(files), slip=slip, findings=found, apart=dict.fromkeys(share.readers, made.sent))


def _for(who: str, check: dict[str, Any]) -> dict[str, Any]:
    return {**check, "words": tr("For {who}: {check}", who=who, check=check["words"])}


def _copied(file: ExportedFile, recipient: int, folder: Path) -> ExportedFile:
    """
    A copy of a file for one recipient.
    """
    target = folder / f"{recipient}~{file.path.name}"
    shutil.copyfile(file.path, target)
    role = "form" if file.role == "data" else file.role
    return replace(file, path=target, role=role, recipient=recipient, called=file.name)


def _moved(file: ExportedFile, folder: Path) -> ExportedFile:
    target = folder / file.path.name
    file.path.replace(target)
    return replace(file, path=target)


def _joined(made: Exported, theirs: Exported) -> Exported:
    """
    What a run made, with the files for readers who get other records.
    """
    known = made.slip.get("recipients", [])
    raised = [c for c in theirs.slip["checks"] if c["objections"]]
    slip = {
        **made.slip,
        "recipients": [*known, *theirs.slip["recipients"]],
        "checks": [*made.slip["checks"], *raised],
        "files": [*made.slip["files"], *(f for r in theirs.slip["recipients"] for f in r["files"])],
    }
    verdicts = [v for v in (made.verdict, theirs.verdict) if v is not None]
    return replace(
        made,
        files=(*made.files, *theirs.files),
        slip=slip,
        findings=(*made.findings, *theirs.findings),
        objections=made.objections + theirs.objections,
        verdict=worst(verdicts),
        apart={**made.apart, **theirs.apart},
        rows_apart=made.rows_apart + theirs.rows,
    )
