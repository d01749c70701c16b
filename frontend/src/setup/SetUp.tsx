import type { ReactNode } from "react";
import { NavLink, useLocation } from "react-router";
import { useMay } from "../shell";
import "./setup.scss";
import { Help } from "../guide";

const TABS = [
  { to: "/set-up/sources", label: "Sources" },
  { to: "/set-up/catalogue", label: "Catalogue" },
  { to: "/set-up/people", label: "People" },
  { to: "/set-up/ways-out", label: "Ways out" },
  { to: "/set-up/journal", label: "Journal" },
  { to: "/set-up/health", label: "Health" },
] as const;

/** Where the guide speaks of a tab. */
const TOPICS: Record<string, string> = {
  "/set-up/sources": "running#3-a-role-that-can-only-read",
  "/set-up/catalogue": "catalogue#guesses",
  "/set-up/people": "people#rights",
  "/set-up/ways-out": "sending#a-way-out",
  "/set-up/journal": "watching#the-journal",
  "/set-up/health": "watching#health",
};

/** What auditors see, too. */
const AUDITED: readonly string[] = ["/set-up/journal", "/set-up/health"];

/** The keeper's place: its strip with tabs, and what stands below. */
export function SetUp({ note, acts, children }: { note?: ReactNode; acts?: ReactNode; children: ReactNode }) {
  const mayKeep = useMay("keep");
  const topic = TOPICS[useLocation().pathname];
  return (
    <>
      <div className="strip">
        <h1>{mayKeep ? "Set-up" : "Journal"}</h1>
        {topic && <Help topic={topic} />}
        {note}
        <span className="fill" />
        {acts}
      </div>
      <nav className="subplaces" aria-label="Set-up">
        {TABS.filter((tab) => mayKeep || AUDITED.includes(tab.to)).map((tab) => (
          <NavLink key={tab.to} to={tab.to}>
            {tab.label}
          </NavLink>
        ))}
      </nav>
      <main className="body">{children}</main>
    </>
  );
}
