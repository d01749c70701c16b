import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { answer, api } from "../api";
import { Icon, Trouble, count, duration, size } from "../shared";

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
    ...Object.entries(found.down).map(([name, said]) => `${name} does not answer: ${said}`),
    ...(found.workers === 0 ? ["No worker lives: nothing runs."] : []),
  ];
  return (
    <div className="slabs">
      <Slab title="Now">
        {wrong.length === 0 && (
          <p className="m-0">
            <span className="tag ready">
              <Icon name="check" /> all is well
            </span>
          </p>
        )}
        {wrong.map((said) => (
          <p key={said} className="m-0 field-trouble">
            {said}
          </p>
        ))}
      </Slab>
      <Slab title="Waiting for workers">
        <Fact name="Workers that live" value={count(found.workers)} />
        {found.queues.length === 0 && <p className="soft m-0">Nothing waits.</p>}
        {found.queues.map((q) => (
          <Fact
            key={q.name}
            name={q.name === "deliveries" ? "Deliveries" : "Runs and work by the clock"}
            value={`${count(q.waiting)}, the oldest for ${duration(q.oldest)}`}
          />
        ))}
      </Slab>
      <Slab title="Runs of the last day">
        <Counts counts={found.runs} none="None was asked for." />
      </Slab>
      <Slab title="Deliveries of the last day">
        <Counts counts={found.deliveries} none="None was entered." />
      </Slab>
      <Slab title="Work by the clock">
        {Object.entries(found.care).map(([care, seconds]) => (
          <Fact
            key={care}
            name={CARE[care] ?? care}
            value={seconds === null ? "never went well" : `${duration(seconds)} ago`}
          />
        ))}
      </Slab>
      <Slab title="Room and journal">
        {found.disk && (
          <Fact name="Free where files lie" value={`${size(found.disk.free)} of ${size(found.disk.total)}`} />
        )}
        <Fact name="Entries of the journal not sealed yet" value={count(found.unsealed)} />
      </Slab>
    </div>
  );
}

const CARE: Record<string, string> = {
  rounds: "Rounds by the calendar",
  watching: "Looking for records",
  deliveries: "Looking after deliveries",
  sources: "Reading the sources again",
  runs: "Looking after runs",
  files: "Expiring files",
  journal: "Sealing the journal",
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

function Counts({ counts, none }: { counts: Record<string, number>; none: string }) {
  const entries = Object.entries(counts).sort((a, b) => b[1] - a[1]);
  if (entries.length === 0) return <p className="soft m-0">{none}</p>;
  return entries.map(([state, n]) => <Fact key={state} name={state} value={count(n)} />);
}
