"""
Looking without running: templates explained, records traced and found, sources tried and written down.
"""

from __future__ import annotations

import json
import sys
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from bouquet.cli.common import (
    Answer,
    AsJson,
    AsOf,
    RecordTypeName,
    TemplateName,
    app,
    chosen_source,
    fail,
    open_services,
    planned,
    record_type_of,
    schema_app,
)
from bouquet.core.formula import formulas_document
from bouquet.core.memory import short_digest
from bouquet.core.template import document_schema
from bouquet.runs import (
    Traced,
    count_tally,
)
from bouquet.runs import trace as trace_record
from bouquet.sources import overlay_of, write_overlay
from bouquet.store.whereabouts import runs_that_sent, whereabout


@app.command()
def explain(template: TemplateName, as_of: AsOf = None, answer: Answer = None, as_json: AsJson = False) -> None:
    """
    Print a template's sentence and its tally.
    """
    with open_services() as services:
        made = planned(services, template, as_of, answer)
        with made.source.reader.snapshot() as snapshot:
            tally = count_tally(snapshot, made.plan, made.words)
    if as_json:
        typer.echo(json.dumps({"sentence": made.sentence, "tally": tally}, indent=2, ensure_ascii=False))
        return
    typer.echo(made.sentence + "\n")
    for step in tally:
        lost = f"  −{step['left_out']:,}" if step["left_out"] else ""
        blank = f" (of which blank: {step['blank']:,})" if step["blank"] else ""
        without = f" ({step['without']:,} without any)" if step["without"] is not None else ""
        gone = "".join(f" ({e['words']}: {e['rows']:,})" for e in step["lost_empty"])
        typer.echo(f"{step['rows']:>12,}  {step['words']}{lost}{blank}{gone}{without}")
        for empty in step["empty"]:
            typer.echo(f"{'':>14}of which {empty['words']}: {empty['rows']:,}")


@app.command()
def whereabouts(
    record_type: RecordTypeName,
    key: Annotated[list[str], typer.Argument(help="The record's key.")],
    as_json: AsJson = False,
) -> None:
    """
    Say where a record has gone: every run whose files left with it, when, and to whom.
    """
    with open_services() as services:
        source = chosen_source(services)
        found = record_type_of(services, record_type)
        with services.store.session() as session:
            runs = runs_that_sent(session, None, source.key, found.made_of or found.name, short_digest(key))
            gone = [whereabout(session, run, holders) for run, holders in runs]
    if as_json:
        typer.echo(json.dumps([asdict(g) for g in gone], indent=2, ensure_ascii=False, default=str))
        return
    if not gone:
        typer.echo(f"No file that left holds the {found.label} {' '.join(key)}.")
    for one in gone:
        typer.echo(f"{one.at:%Y-%m-%d %H:%M}  run {one.run_id}  {one.name}, asked for by {one.asked_by}")
        for line in (*one.files, *(f"→ {w}" for w in one.went_to)):
            typer.echo(f"    {line}")


@app.command()
def trace(
    template: TemplateName,
    key: Annotated[list[str], typer.Argument(help="The record's key, or what its title field says.")],
    as_of: AsOf = None,
    answer: Answer = None,
    as_json: AsJson = False,
) -> None:
    """
    Say why a record is in a template's file, or out: each step, what it saw, and the first that stopped it.
    """
    with open_services() as services:
        made = planned(services, template, as_of, answer)
        with made.source.reader.snapshot() as snapshot:
            found = trace_record(snapshot, made.plan, made.words, key)
    if found.record is None:
        fail(f"There is no {made.plan.record_type.label} “{' '.join(key)}”.")
    records = [found.record, *found.children]
    if as_json:
        typer.echo(json.dumps([{**asdict(r), "in": r.is_in} for r in records], indent=2, ensure_ascii=False))
        return
    for record in records:
        _echo_trace(record)
    if found.others:
        typer.echo(f"\nOthers of that name: {', '.join(' '.join(k) for k in found.others)}")


def _echo_trace(record: Traced) -> None:
    title = f" “{record.title}”" if record.title else ""
    typer.echo(f"{record.what} {' '.join(record.key)}{title} is {'in' if record.is_in else 'out'}.")
    for n, step in enumerate(record.steps):
        saw = "; ".join(f"{label}: {value if value is not None else 'blank'}" for label, value in step.saw)
        stopped = "  ← stopped here" if n == record.stopped_by else ""
        typer.echo(f"  {'yes' if step.passed else 'no ':<3}  {step.words}  [{saw}]{stopped}")


@app.command()
def profile(
    record_type: RecordTypeName,
    field: Annotated[list[str] | None, typer.Option(help="Only these fields; may be given again.")] = None,
    as_json: AsJson = False,
) -> None:
    """
    Show the fields of a record type at a glance: how full, how many different, least, greatest, the most frequent.
    """
    with open_services() as services:
        known = record_type_of(services, record_type)
        names = field or [f.name for f in known.fields]
        try:
            source = chosen_source(services)
            found = [source.facts(known.name, name) for name in names]
        except KeyError as error:
            fail(f"{known.label.capitalize()} has no field “{error.args[0]}”.")
    if as_json:
        rows = [{**asdict(f), "field": f.field.name, "label": f.field.label} for f in found]
        typer.echo(json.dumps(rows, indent=2, ensure_ascii=False, default=str))
        return
    for facts in found:
        about = "" if facts.distinct_exact else "about "
        span = f"  {facts.least} … {facts.greatest}" if facts.least is not None else ""
        name = f"{facts.field.label} ({facts.field.name})"
        typer.echo(f"{name}  {facts.fill:.1%} full, {about}{facts.distinct:,} different{span}")
        if facts.field.personal:
            typer.echo("    personal; its values are not shown")
        for value, count in facts.top:
            typer.echo(f"    {count:>10,}  {value}")


@app.command()
def find(
    record_type: RecordTypeName,
    value: Annotated[str, typer.Argument(help="A text, number or date that some field holds.")],
    seconds: Annotated[float, typer.Option(min=0.5, max=600, help="How long to search.")] = 10.0,
    as_json: AsJson = False,
) -> None:
    """
    Find the fields of a record type and its neighbours that hold a value.
    """
    finding = None
    with open_services() as services:
        known = record_type_of(services, record_type)
        for finding in chosen_source(services).find(known.name, value, seconds=seconds):
            if not as_json and sys.stderr.isatty():
                typer.echo(f"\r{finding.searched:.0%} searched, {len(finding.hits)} fields", nl=False, err=True)
    assert finding is not None
    if as_json:
        typer.echo(json.dumps(asdict(finding), indent=2, ensure_ascii=False))
        return
    for hit in finding.hits:
        typer.echo(f"{'' if hit.exact else 'about '}{hit.count:>10,}  {hit.path:<40} {hit.trail}: {hit.value}")
    if not finding.hits:
        typer.echo(f"No field of {known.plural} or their neighbours was found to hold “{value}”.")
    for name in finding.unsearched:
        typer.echo(f"not searched: {name}")


@app.command()
def catalogue(
    out: Annotated[Path | None, typer.Option(help="The file to write; standard output where none is given.")] = None,
) -> None:
    """
    Print what is known of the source, guesses included, as a curated catalogue (TOML) to be changed and used.

    Point BOUQUET_SOURCE_CATALOGUE to the file, and it is what people see.
    """
    with open_services() as services:
        text = write_overlay(overlay_of(chosen_source(services).catalogue()))
    if out is None:
        typer.echo(text, nl=False)
        return
    if out.exists():
        fail(f"{out} is there already; it is not replaced.")
    out.write_text(text, encoding="utf-8")


@app.command()
def formulas() -> None:
    """
    Print the reference of formulas, as Markdown.
    """
    typer.echo(formulas_document(), nl=False)


@schema_app.command("template")
def schema_template() -> None:
    """
    Print the JSON Schema of a template document.
    """
    typer.echo(json.dumps(document_schema(), indent=2, ensure_ascii=False))
