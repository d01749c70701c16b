import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { answer, api } from "../api";
import { STATES } from "../recipients";
import { STATUS_WORDS } from "../runs";
import { Icon, Trouble, count, duration, size } from "../shared";
import { tr } from "../i18n";

/** How the house is: what waits, who works, what came of runs and deliveries, what fails. */
export function Health() {
  const house = useQuery({
    queryKey: ["house"],
    queryFn: () => answer(api.GET("/api/v1/health/house")),
    refetchInterval: 5_000,
  });
  const found = house.data;
  if (!found) return <Trouble error={house.error} />;
  const wrong = [
    ...Object.entries(found.failing).map(([care, said]) => `${CARE[care] ?? care}: ${said}`),
    ...Object.entries(found.down).map(([name, said]) =>
      tr("{{name}} does not answer: {{said}}", { name, said }),
    ),
    ...(found.workers === 0 ? [tr("No worker lives: nothing runs.")] : []),
  ];
  return (
    <div className="slabs">
      <Slab title={tr("Now")}>
        {wrong.length === 0 && (
          <p className="m-0">
            <span className="tag ready">
              <Icon name="check" /> {tr("all is well")}
            </span>
          </p>
        )}
        {wrong.map((said) => (
          <p key={said} className="m-0 field-trouble">
            {said}
          </p>
        ))}
      </Slab>
      <Slab title={tr("Waiting for workers")}>
        <Fact name={tr("Workers that live")} value={count(found.workers)} />
        {found.queues.length === 0 && <p className="soft m-0">{tr("Nothing waits.")}</p>}
        {found.queues.map((q) => (
          <Fact
            key={q.name}
            name={q.name === "deliveries" ? tr("Deliveries") : tr("Runs and work by the clock")}
            value={tr("{{waiting}}, the oldest for {{oldest}}", {
              waiting: count(q.waiting),
              oldest: duration(q.oldest),
            })}
          />
        ))}
      </Slab>
      <Slab title={tr("Runs of the last day")}>
        <Counts counts={found.runs} words={STATUS_WORDS} none={tr("None was asked for.")} />
      </Slab>
      <Slab title={tr("Deliveries of the last day")}>
        <Counts
          counts={found.deliveries}
          words={Object.fromEntries(Object.entries(STATES).map(([state, { words }]) => [state, words]))}
          none={tr("None was entered.")}
        />
      </Slab>
      <Slab title={tr("Work by the clock")}>
        {Object.entries(found.care).map(([care, seconds]) => (
          <Fact
            key={care}
            name={CARE[care] ?? care}
            value={
              seconds === null ? tr("never went well") : tr("{{seconds}} ago", { seconds: duration(seconds) })
            }
          />
        ))}
      </Slab>
      <Slab title={tr("Room and journal")}>
        {found.disk && (
          <Fact
            name={tr("Free where files lie")}
            value={tr("{{free}} of {{total}}", {
              free: size(found.disk.free),
              total: size(found.disk.total),
            })}
          />
        )}
        <Fact name={tr("Entries of the journal not sealed yet")} value={count(found.unsealed)} />
      </Slab>
    </div>
  );
}

const CARE: Record<string, string> = {
  rounds: tr("Rounds by the calendar"),
  watching: tr("Looking for records"),
  deliveries: tr("Looking after deliveries"),
  sources: tr("Reading the sources again"),
  runs: tr("Looking after runs"),
  files: tr("Expiring files"),
  journal: tr("Sealing the journal"),
};

function Slab({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="slab">
      <h2>{title}</h2>
      {children}
    </section>
  );
}

function Fact({ name, value }: { name: string; value: string }) {
  return (
    <div className="d-flex justify-content-between gap-3 py-1">
      <span>{name}</span>
      <b>{value}</b>
    </div>
  );
}

interface CountsProps {
  counts: Record<string, number>;
  words: Record<string, string>;
  none: string;
}

function Counts({ counts, words, none }: CountsProps) {
  const entries = Object.entries(counts).sort((a, b) => b[1] - a[1]);
  if (entries.length === 0) return <p className="soft m-0">{none}</p>;
  return entries.map(([state, n]) => <Fact key={state} name={words[state] ?? state} value={count(n)} />);
}
