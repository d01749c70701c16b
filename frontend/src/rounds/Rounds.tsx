import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Button } from "react-bootstrap";
import { Link, useSearchParams } from "react-router";
import { DAYS_AHEAD, resources } from "../api";
import type { RoundInfo } from "../api";
import { STATUS_WORDS } from "../runs";
import { OfSource, useMay } from "../shell";
import { Icon, Trouble, clock, duration, plural, shortMoment, weekday } from "../shared";
import { DaysOff } from "./DaysOff";
import { FromDocument } from "./FromDocument";
import { InMyCalendar } from "./InMyCalendar";
import { NewRound } from "./NewRound";
import { RoundMenu } from "./RoundMenu";
import { pausedWords, sentTo } from "./words";
import { tr } from "../i18n";

/** Days on the board: these before today, and the rest from today on. */
const BEFORE = 3;

function boardDays(): Date[] {
  const first = new Date();
  first.setHours(0, 0, 0, 0);
  return Array.from({ length: DAYS_AHEAD }, (_, n) => {
    const day = new Date(first);
    day.setDate(day.getDate() + n - BEFORE);
    return day;
  });
}

/** The fortnight board: what ran and what will run. */
export function Rounds() {
  const [params, setParams] = useSearchParams();
  const mayDesign = useMay("design");
  const mayKeep = useMay("keep");
  const [daysOff, setDaysOff] = useState(false);
  const [subscribing, setSubscribing] = useState(false);
  const [creating, setCreating] = useState(params.has("new"));
  const rounds = useQuery({ ...resources.rounds(), refetchInterval: 15_000 });
  const all = rounds.data ?? [];
  const next = all
    .flatMap((r) => r.next.map((at) => ({ at, round: r })))
    .sort((a, b) => a.at.localeCompare(b.at));
  const close = () => {
    setCreating(false);
    setParams({}, { replace: true });
  };
  return (
    <>
      <div className="strip">
        <h1>{tr("Rounds")}</h1>
        <span className="soft">
          {plural(all.length, "round")}
          {next[0] && tr(" · next {{at}}", { at: inWords(next[0].at) })}
        </span>
        <span className="fill" />
        <Button variant="quiet" onClick={() => setSubscribing(true)}>
          {tr("In my calendar…")}
        </Button>
        {mayKeep && (
          <Button variant="quiet" onClick={() => setDaysOff(true)}>
            {tr("Days off…")}
          </Button>
        )}
        {mayDesign && <FromDocument />}
        {mayDesign && (
          <Button onClick={() => setCreating(true)}>
            <Icon name="plus" /> {tr("New round")}
          </Button>
        )}
      </div>
      <main className="body">
        <Trouble error={rounds.error} />
        {rounds.isSuccess && all.length === 0 ? (
          <div className="nothing slab">
            {tr(
              "A round runs a template by the calendar and puts the file into a folder. Set the first one.",
            )}
          </div>
        ) : (
          <Board rounds={all} />
        )}
        {all.length > 0 && (
          <div className="slabs">
            <section className="slab">
              <h2>{tr("Next up")}</h2>
              {next.slice(0, 5).map(({ at, round }) => (
                <div key={`${round.id}${at}`}>
                  <b>{shortMoment(at)}</b> {round.template}
                  <div className="soft small">{tr("to {{round}}", { round: sentTo(round) })}</div>
                </div>
              ))}
              {next.length === 0 && <div className="soft">{tr("Every round is paused.")}</div>}
            </section>
            <section className="slab">
              <h2>{tr("Last files")}</h2>
              <LastFiles rounds={all} />
            </section>
            <section className="slab">
              <h2>{tr("How to read it")}</h2>
              <span className="moment ready">06:00</span> {tr("ran, its file was made")}{" "}
              <span className="moment planned">06:00</span> {tr("planned")}{" "}
              <span className="moment failed">06:00</span>{" "}
              {tr("failed; the run says why. A round that was late still covers the day it was planned for.")}
            </section>
          </div>
        )}
      </main>
      {subscribing && <InMyCalendar onClose={() => setSubscribing(false)} />}
      {daysOff && <DaysOff onClose={() => setDaysOff(false)} />}
      {creating && <NewRound template={params.get("new")} onClose={close} />}
    </>
  );
}

function inWords(at: string): string {
  const seconds = (new Date(at).getTime() - Date.now()) / 1000;
  if (seconds < 3600) return tr("in {{seconds}}", { seconds: duration(Math.max(seconds, 0)) });
  if (seconds < 86_400)
    return tr("in {{seconds}} h {{seconds2}} min", {
      seconds: Math.floor(seconds / 3600),
      seconds2: Math.round((seconds % 3600) / 60),
    });
  return shortMoment(at);
}

function LastFiles({ rounds }: { rounds: RoundInfo[] }) {
  const runs = rounds
    .flatMap((r) => r.runs)
    .filter((r) => r.finished_at)
    .sort((a, b) => b.finished_at!.localeCompare(a.finished_at!))
    .slice(0, 5);
  if (runs.length === 0) return <div className="soft">{tr("No round has run yet.")}</div>;
  return runs.map((run) => (
    <div key={run.id} className="last-file">
      <Icon name={run.status === "ready" ? "check" : "exclamation"} label={run.status} />
      <Link to={`/runs/${run.id}`} className="one-line">
        {run.name}
      </Link>
      <div className="soft small">
        {plural(run.rows_written, "row")}, {shortMoment(run.finished_at!)}
      </div>
    </div>
  ));
}

function Board({ rounds }: { rounds: RoundInfo[] }) {
  const days = boardDays();
  const today = new Date().toDateString();
  const classOf = (day: Date) =>
    day.toDateString() === today ? "today" : [0, 6].includes(day.getDay()) ? "weekend" : "";
  return (
    <table className="board fortnight">
      <thead>
        <tr>
          <th style={{ width: 262 }}>{tr("Round")}</th>
          {days.map((day) => (
            <th key={day.toISOString()} className={classOf(day)}>
              {weekday(day)}
              <b>{day.getDate()}</b>
            </th>
          ))}
          <th style={{ width: 34 }}>
            <span className="visually-hidden">{tr("Actions")}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {rounds.map((round) => (
          <tr key={round.id}>
            <td>
              <Link to={`/rounds/${round.id}`} className="name one-line d-block">
                {round.template}
              </Link>
              <div className="soft small one-line" title={`${round.words} · ${sentTo(round)}`}>
                {round.words}
                {round.paused ? pausedWords(round) : ""} · {sentTo(round)}
                <OfSource source={round.source} />
              </div>
            </td>
            {days.map((day) => (
              <td key={day.toISOString()} className={classOf(day)}>
                <Moments round={round} day={day} />
              </td>
            ))}
            <td>
              <RoundMenu round={round} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Moments({ round, day }: { round: RoundInfo; day: Date }) {
  const here = (at: string) => new Date(at).toDateString() === day.toDateString();
  return (
    <>
      {round.runs
        .filter((run) => here(run.as_of))
        .map((run) => (
          <Link
            key={run.id}
            to={`/runs/${run.id}`}
            className={`moment ${run.status}`}
            title={STATUS_WORDS[run.status]}
          >
            {clock(run.as_of)}
          </Link>
        ))}
      {round.next.filter(here).map((at) => (
        <span key={at} className="moment planned" title={tr("planned")}>
          {clock(at)}
        </span>
      ))}
    </>
  );
}
