import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { Rhythm } from "../api";
import { Icon } from "../shared";
import { DAYS, KINDS, MONTHS, readNumbers, withKind, writeNumbers } from "./rhythm";
import { Help } from "../guide";
import { tr } from "../i18n";

interface Props {
  rhythm: Rhythm;
  onChange: (rhythm: Rhythm) => void;
}

/** When a round runs: days, and times of these days. */
export function RhythmEditor({ rhythm, onChange }: Props) {
  const [kind, setKind] = useState("weekdays");
  const change = (part: Partial<Rhythm>) => onChange({ ...rhythm, ...part });
  return (
    <div className="d-grid gap-2">
      <Form.Group controlId="round-kind">
        <Form.Label>{tr("When")}</Form.Label> <Help topic="rounds#when" />
        <Form.Select
          value={kind}
          onChange={(e) => {
            setKind(e.target.value);
            onChange(withKind(rhythm, e.target.value));
          }}
        >
          {Object.entries(KINDS).map(([name, { words }]) => (
            <option key={name} value={name}>
              {words}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      <DaysOfKind kind={kind} rhythm={rhythm} change={change} />
      <Times rhythm={rhythm} change={change} />
    </div>
  );
}

type Change = (part: Partial<Rhythm>) => void;

function DaysOfKind({ kind, rhythm, change }: { kind: string; rhythm: Rhythm; change: Change }) {
  switch (kind) {
    case "week":
      return <DaysOfWeek rhythm={rhythm} change={change} />;
    case "month_days":
      return (
        <>
          <Numbers
            id="round-month-days"
            label={tr("Days of the month, such as 1, 15, last")}
            numbers={rhythm.month_days ?? []}
            onNumbers={(month_days) => change({ month_days })}
          />
          <Months rhythm={rhythm} change={change} />
        </>
      );
    case "nth":
      return (
        <>
          <NthWeekday rhythm={rhythm} change={change} />
          <Months rhythm={rhythm} change={change} />
        </>
      );
    case "nth_working_day":
      return (
        <Numbers
          id="round-working-days"
          label={tr("Working days of the month, such as 1, 3, last")}
          numbers={rhythm.nth_working_day ?? []}
          onNumbers={(nth_working_day) => change({ nth_working_day })}
        />
      );
    case "dates":
      return <Dates dates={rhythm.dates ?? []} onDates={(dates) => change({ dates })} />;
    case "rule":
      return (
        <Form.Group controlId="round-rule">
          <Form.Label>{tr("Rule (RFC 5545), days only")}</Form.Label>
          <Form.Control
            className="mono"
            required
            value={rhythm.rule ?? ""}
            onChange={(e) => change({ rule: e.target.value })}
          />
        </Form.Group>
      );
    default:
      return null;
  }
}

function DaysOfWeek({ rhythm, change }: { rhythm: Rhythm; change: Change }) {
  const chosen = rhythm.weekdays ?? [];
  const interval = rhythm.interval ?? 1;
  return (
    <fieldset>
      <legend className="form-label">{tr("Every")}</legend>
      <div className="d-flex gap-2 align-items-center flex-wrap">
        <Form.Control
          type="number"
          min={1}
          max={52}
          style={{ width: 70 }}
          aria-label={tr("Weeks from one to the next")}
          value={interval}
          // Every second week is counted from this one.
          onChange={(e) => change({ interval: Number(e.target.value), start: today() })}
        />
        {tr("weeks on", { count: interval })}
        {DAYS.map((day, n) => (
          <Form.Check
            key={day}
            id={`round-day-${n}`}
            label={day.slice(0, 3)}
            aria-label={day}
            checked={chosen.includes(n)}
            onChange={(e) =>
              change({ weekdays: e.target.checked ? [...chosen, n] : chosen.filter((d) => d !== n) })
            }
          />
        ))}
      </div>
    </fieldset>
  );
}

function Numbers({
  id,
  label,
  numbers,
  onNumbers,
}: {
  id: string;
  label: string;
  numbers: readonly number[];
  onNumbers: (numbers: number[]) => void;
}) {
  const [text, setText] = useState(writeNumbers(numbers));
  const wrong = readNumbers(text) === null;
  return (
    <Form.Group controlId={id}>
      <Form.Label>{label}</Form.Label>
      <Form.Control
        required
        value={text}
        isInvalid={wrong}
        onChange={(e) => {
          setText(e.target.value);
          const read = readNumbers(e.target.value);
          if (read) onNumbers(read);
        }}
      />
      {wrong && (
        <div className="field-trouble">{tr("Type numbers with commas between them, or “last”.")}</div>
      )}
    </Form.Group>
  );
}

function NthWeekday({ rhythm, change }: { rhythm: Rhythm; change: Change }) {
  const nth = rhythm.nth?.[0] ?? { n: 1, weekday: 0 };
  return (
    <div className="d-flex gap-2">
      <Form.Select
        aria-label={tr("Which of the month")}
        value={nth.n}
        onChange={(e) => change({ nth: [{ ...nth, n: Number(e.target.value) as typeof nth.n }] })}
      >
        {["first", "second", "third", "fourth", "fifth"].map((word, n) => (
          <option key={word} value={n + 1}>
            {word}
          </option>
        ))}
        <option value={-1}>{tr("last")}</option>
      </Form.Select>
      <Form.Select
        aria-label={tr("Day of the week")}
        value={nth.weekday}
        onChange={(e) => change({ nth: [{ ...nth, weekday: Number(e.target.value) }] })}
      >
        {DAYS.map((day, n) => (
          <option key={day} value={n}>
            {day}
          </option>
        ))}
      </Form.Select>
    </div>
  );
}

function Months({ rhythm, change }: { rhythm: Rhythm; change: Change }) {
  const text = (rhythm.months ?? []).join();
  return (
    <Form.Group controlId="round-months">
      <Form.Label>{tr("Of")}</Form.Label>
      <Form.Select
        value={text}
        onChange={(e) => {
          const months = e.target.value ? e.target.value.split(",").map(Number) : [];
          change({ months, every: months.length ? "year" : "month" });
        }}
      >
        <option value="">{tr("each month")}</option>
        <option value="1,4,7,10">{tr("each quarter’s first month")}</option>
        <option value="3,6,9,12">{tr("each quarter’s last month")}</option>
        {MONTHS.map((month, n) => (
          <option key={month} value={String(n + 1)}>
            {tr("{{month}} of each year", { month })}
          </option>
        ))}
      </Form.Select>
    </Form.Group>
  );
}

function Dates({ dates, onDates }: { dates: readonly string[]; onDates: (dates: string[]) => void }) {
  const [text, setText] = useState(dates.join("\n"));
  return (
    <Form.Group controlId="round-dates">
      <Form.Label>{tr("Dates, one a line, such as {{today}}", { today: today() })}</Form.Label>
      <Form.Control
        as="textarea"
        rows={3}
        required
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          onDates(e.target.value.split(/[\s,;]+/).filter(Boolean));
        }}
      />
    </Form.Group>
  );
}

function Times({ rhythm, change }: { rhythm: Rhythm; change: Change }) {
  const { often } = rhythm;
  const times = rhythm.times ?? [];
  if (often)
    return (
      <div className="d-flex gap-2 align-items-end">
        <Form.Group controlId="round-minutes">
          <Form.Label>{tr("Minutes apart")}</Form.Label>
          <Form.Control
            type="number"
            min={5}
            max={720}
            value={often.minutes}
            onChange={(e) => change({ often: { ...often, minutes: Number(e.target.value) } })}
          />
        </Form.Group>
        <Form.Group controlId="round-first">
          <Form.Label>{tr("From")}</Form.Label>
          <Form.Control
            type="time"
            value={often.first}
            onChange={(e) => change({ often: { ...often, first: e.target.value } })}
          />
        </Form.Group>
        <Form.Group controlId="round-last">
          <Form.Label>{tr("To")}</Form.Label>
          <Form.Control
            type="time"
            value={often.last}
            onChange={(e) => change({ often: { ...often, last: e.target.value } })}
          />
        </Form.Group>
        <Button
          variant="quiet"
          className="text-nowrap"
          onClick={() => change({ often: null, times: ["06:00"] })}
        >
          {tr("At set times")}
        </Button>
      </div>
    );
  return (
    <div className="d-flex gap-2 align-items-end flex-wrap">
      {times.map((time, n) => (
        <Form.Group key={n} controlId={n ? `round-at-${n}` : "round-at"}>
          <Form.Label>{n ? tr("and at") : tr("At")}</Form.Label>
          <div className="d-flex">
            <Form.Control
              type="time"
              required
              value={time}
              onChange={(e) => change({ times: times.map((t, k) => (k === n ? e.target.value : t)) })}
            />
            {n > 0 && (
              <button
                type="button"
                className="btn px-1"
                aria-label={tr("Leave out {{time}}", { time })}
                onClick={() => change({ times: times.filter((_, k) => k !== n) })}
              >
                <Icon name="x" />
              </button>
            )}
          </div>
        </Form.Group>
      ))}
      <Button variant="quiet" onClick={() => change({ times: [...times, "18:00"] })}>
        {tr("Another time")}
      </Button>
      <Button
        variant="quiet"
        onClick={() => change({ times: [], often: { minutes: 60, first: "08:00", last: "18:00" } })}
      >
        {tr("Every few minutes or hours…")}
      </Button>
    </div>
  );
}

function today(): string {
  const now = new Date();
  return new Date(now.getTime() - now.getTimezoneOffset() * 60_000).toISOString().slice(0, 10);
}

/** What becomes of a day on which the house does not work. */
export function DayOff({ rhythm, onChange }: Props) {
  if (rhythm.every === "working_day") return null;
  return (
    <Form.Group controlId="round-day-off" className="flex-fill">
      <Form.Label>{tr("On a day off")}</Form.Label>
      <Form.Select
        value={rhythm.day_off ?? "run"}
        onChange={(e) => onChange({ ...rhythm, day_off: e.target.value as Rhythm["day_off"] })}
      >
        <option value="run">{tr("run all the same")}</option>
        <option value="leave_out">{tr("leave it out")}</option>
        <option value="next">{tr("run on the next working day")}</option>
        <option value="previous">{tr("run on the working day before")}</option>
      </Form.Select>
    </Form.Group>
  );
}
