import type { ReactNode } from "react";
import { NavLink, useLocation } from "react-router";
import { useMay } from "../shell";
import "./setup.scss";
import { Help } from "../guide";
import { tr } from "../i18n";

const TABS = [
  { to: "/set-up/sources", label: tr("Sources") },
  { to: "/set-up/catalogue", label: tr("Catalogue") },
  { to: "/set-up/people", label: tr("People") },
  { to: "/set-up/ways-out", label: tr("Ways out") },
  { to: "/set-up/journal", label: tr("Journal") },
  { to: "/set-up/health", label: tr("Health") },
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
  const { pathname } = useLocation();
  const topic = TOPICS[pathname];
  const isTheirs = mayKeep || AUDITED.includes(pathname);
  return (
    <>
      <div className="strip">
        <h1>{mayKeep || !isTheirs ? tr("Set-up") : tr("Journal")}</h1>
        {topic && <Help topic={topic} />}
        {isTheirs && note}
        <span className="fill" />
        {isTheirs && acts}
      </div>
      <nav className="subplaces" aria-label={tr("Set-up")}>
        {TABS.filter((tab) => mayKeep || AUDITED.includes(tab.to)).map((tab) => (
          <NavLink key={tab.to} to={tab.to}>
            {tab.label}
          </NavLink>
        ))}
      </nav>
      <main className="body">
        {isTheirs ? (
          children
        ) : (
          <div className="nothing slab">{tr("Only administrators see and change this.")}</div>
        )}
      </main>
    </>
  );
}
