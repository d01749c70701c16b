"""
Several templates on one snapshot, into one archive with one slip.
"""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from bouquet.core.checks import worst
from bouquet.core.errors import CountMismatch, WriteError
from bouquet.core.language import tr
from bouquet.core.memory import merged_keys
from bouquet.core.naming import safe_name, with_suffix
from bouquet.core.plan import Plan
from bouquet.core.slip import Digest
from bouquet.core.template import Template
from bouquet.core.wording.given import sentence_for
from bouquet.core.wording.lists import listed
from bouquet.core.wording.sentence import Sentence
from bouquet.runs.archive import attachments_of, count_attachments, write_archive
from bouquet.runs.export import Export
from bouquet.runs.exported import Exported, ExportedFile, file_facts
from bouquet.runs.forms import Addressed
from bouquet.sources import Snapshot

__all__ = ["export_bundle"]


def export_bundle(
    name: str,
    parts: Sequence[tuple[Template, Plan]],
    folder: Path,
    snapshot: Snapshot,
    asked: dict[str, Any],
    progress: Callable[[str, int | None, int], None] = lambda *_: None,
    recipients: Sequence[Addressed] = (),
) -> Exported:
    """
    Write every part from one snapshot, and one archive of them all, with the files that are kept in their records.
    Rows are those of all parts together.

    Raises what `Export.write` raises; then nothing is left.
    """
    made: list[Exported] = []
    try:
        for n, (template, plan) in enumerate(parts):
            before = sum(e.rows for e in made)

            def told(stage: str, announced: int | None, written: int, before: int = before) -> None:
                progress(stage, None if announced is None else before + announced, before + written)

            inside = folder / f".part-{n}"
            export = Export(template, plan, template.output.format, inside, told, archives=False)
            made.append(export.write(snapshot, {}))
        return _pack(name, parts, made, folder, snapshot, asked, progress, recipients)
    except OSError as error:
        reason = (error.strerror or str(error)).lower()
        raise WriteError(
            tr("The archive could not be written: {reason}. Nothing was kept of it.", reason=reason)
        ) from error
    finally:
        for inside in folder.glob(".part-*"):
            shutil.rmtree(inside, ignore_errors=True)


def _pack(
    name: str,
    parts: Sequence[tuple[Template, Plan]],
    made: Sequence[Exported],
    folder: Path,
    snapshot: Snapshot,
    asked: dict[str, Any],
    progress: Callable[[str, int | None, int], None],
    recipients: Sequence[Addressed],
) -> Exported:
    rows = sum(e.rows for e in made)
    named, facts = _named_apart(made)
    as_of = parts[0][1].context.as_of
    slip = _slip_of_all(name, parts[0][1], made, facts, snapshot, asked)
    personal = tuple(slip["personal_fields"])
    if recipients:
        slip["recipients"] = [_addressed(to, personal, parts) for to in recipients]
    plans = [plan for _, plan in parts if plan.attached is not None]
    announced = sum(count_attachments(snapshot, plan) for plan in plans)
    if plans:
        slip["attachments"] = announced
    inner = folder / ".part-slip" / "slip.json"
    inner.parent.mkdir(parents=True, exist_ok=True)
    inner.write_bytes(json.dumps(slip, indent=2, ensure_ascii=False).encode())
    beside, target = folder / ".bundle.part", folder / f"{safe_name(f'{name}_{as_of:%Y-%m-%d}')}.zip"
    attached = attachments_of(snapshot, plans)
    written = write_archive(
        beside, [*named, ("slip.json", inner)], attached, as_of, lambda: progress("packing", rows, rows)
    )
    if written != announced:
        raise CountMismatch(announced, written, tr("attached files"))
    digest = Digest(beside).finish()
    beside.replace(target)
    archive = ExportedFile(target, "archive", "application/zip", rows, target.stat().st_size, digest)
    slip["files"] = [*facts, file_facts(archive)]
    sent: dict[str, list[bytes]] = {}
    for exported in made:
        for records, keys in exported.sent:
            sent.setdefault(records, []).append(keys)
    return Exported(
        (archive,),
        rows,
        slip,
        tuple({**f, "words": f"{e.slip['template']}: {f['words']}"} for e in made for f in e.findings),
        sum(e.objections for e in made),
        worst([e.verdict for e in made if e.verdict is not None]),
        tuple((records, merged_keys(keys)) for records, keys in sent.items()),
    )


def _named_apart(made: Sequence[Exported]) -> tuple[list[tuple[str, Path]], list[dict[str, Any]]]:
    """
    All files with the names they have in the archive, no two alike whatever the case; and what slips say of them.
    """
    named: list[tuple[str, Path]] = []
    facts: list[dict[str, Any]] = []
    taken: set[str] = set()
    for exported in made:
        for file in exported.files:
            inside, n = file.path.name, 1
            while inside.casefold() in taken:
                n += 1
                inside = with_suffix(file.path.name, n)
            taken.add(inside.casefold())
            named.append((inside, file.path))
            facts.append({**file_facts(file), "name": inside})
    return named, facts


def _slip_of_all(
    name: str,
    first: Plan,
    made: Sequence[Exported],
    facts: list[dict[str, Any]],
    snapshot: Snapshot,
    asked: dict[str, Any],
) -> dict[str, Any]:
    return {
        "slip": 1,
        "template": name,
        **asked,
        "as_of": first.context.as_of.isoformat(),
        "snapshot_at": snapshot.taken_at.isoformat(),
        "source": first.catalogue.title,
        "environment": first.catalogue.environment,
        "sentence": " ".join(e.slip["sentence"] for e in made[:3])
        + (tr(" And {made} more.", made=len(made) - 3) if len(made) > 3 else ""),
        "answers": {},
        "scope": made[0].slip["scope"],
        "tally": [],
        "rows_announced": sum(e.slip["rows_announced"] for e in made),
        "rows_written": sum(e.rows for e in made),
        "columns": [],
        "personal_fields": list(dict.fromkeys(f for e in made for f in e.slip["personal_fields"])),
        "findings": [{**f, "what": f"{e.slip['template']}: {f['what']}"} for e in made for f in e.slip["findings"]],
        "checks": [{**c, "words": f"{e.slip['template']}: {c['words']}"} for e in made for c in e.slip["checks"]],
        "parts": [e.slip for e in made],
        "tells_of_people": any(e.slip["tells_of_people"] for e in made),
        "files": facts,
    }


def _addressed(to: Addressed, personal: tuple[str, ...], parts: Sequence[tuple[Template, Plan]]) -> dict[str, Any]:
    """
    Whether somebody may have an archive, as the slip has it.
    """
    unmet = []
    said = [t.name for t, p in parts if sentence_for(to.acceptance, t, p) != Sentence(t, p.catalogue, p.context).text()]
    if said:
        unmet.append(
            tr(
                "{said} is narrowed by personal data that {to} may not receive, as its slip says",
                said=listed(said),
                to=to.name,
            )
        )
    treated = any(given != "seen" for given in to.acceptance.classes.values())
    if personal and treated:
        unmet.append(
            tr(
                "{to} takes some personal data masked or not at all; a bundle holds it as it is",
                to=to.name,
            )
        )
    elif personal and not to.acceptance.personal:
        unmet.append(
            tr(
                "{to} may not receive personal data, and this holds some: {personal}",
                to=to.name,
                personal=", ".join(personal[:5]),
            )
        )
    if to.acceptance.columns or to.acceptance.format or to.acceptance.csv is not None:
        unmet.append(tr("{to} takes files in a form of their own, and this is an archive of several", to=to.name))
    return {"id": to.id, "name": to.name, "files": [], "unmet": unmet, "allowed": to.acceptance.allowed}
