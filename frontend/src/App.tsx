import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { Suspense, useEffect } from "react";
import { ErrorBoundary } from "react-error-boundary";
import { BrowserRouter, Navigate, Route, Routes, matchPath } from "react-router";
import { ApiError, answer, api, isAskedAgain, lookThrough, onSignedOut, resources } from "./api";
import type { Session } from "./api";
import { PlaceBoundary, Shell } from "./shell";
import { NotShown, forgetFailures, place } from "./shared";
import { SignIn } from "./signin/SignIn";
import { SignInAgain } from "./signin/SignInAgain";
import { Library } from "./templates";
import { tr } from "./i18n";

// What is not the first view is loaded when it is first gone to.
const FirstStart = place(() => import("./signin").then((m) => m.FirstStart));
const SetPassword = place(() => import("./signin").then((m) => m.SetPassword));
const Bench = place(() => import("./bench").then((m) => m.Bench));
const Match = place(() => import("./templates/Match").then((m) => m.Match));
const Runner = place(() => import("./templates/Runner").then((m) => m.Runner));
const Removed = place(() => import("./templates/Removed").then((m) => m.Removed));
const Ledger = place(() => import("./runs/Ledger").then((m) => m.Ledger));
const GivenBack = place(() => import("./runs/GivenBack").then((m) => m.GivenBack));
const RunPage = place(() => import("./runs/RunPage").then((m) => m.RunPage));
const Rounds = place(() => import("./rounds").then((m) => m.Rounds));
const RoundPage = place(() => import("./rounds").then((m) => m.RoundPage));
const Records = place(() => import("./records/Records").then((m) => m.Records));
const Guide = place(() => import("./guide/Guide").then((m) => m.Guide));
const RecordPage = place(() => import("./records/RecordPage").then((m) => m.RecordPage));

const CataloguePlace = place(() => import("./setup").then((m) => m.CataloguePlace));
const PeoplePlace = place(() => import("./setup").then((m) => m.PeoplePlace));
const Recipients = place(() => import("./recipients").then((m) => m.Recipients));
const RecipientPage = place(() => import("./recipients").then((m) => m.RecipientPage));
const PostRoom = place(() => import("./recipients").then((m) => m.PostRoom));
const HealthPlace = place(() => import("./setup").then((m) => m.HealthPlace));
const JournalPlace = place(() => import("./setup").then((m) => m.JournalPlace));
const WaysOutPlace = place(() => import("./setup").then((m) => m.WaysOutPlace));
const SourcesPlace = place(() => import("./setup").then((m) => m.SourcesPlace));

const PLACES = [
  ["/templates/match", Match],
  ["/templates/removed", Removed],
  ["/templates/:id/run", Runner],
  ["/records", Records],
  ["/records/:name", Records],
  ["/records/:name/*", RecordPage],
  ["/templates/:id", Bench],
  ["/guide", Guide],
  ["/guide/:page", Guide],
  ["/runs", Ledger],
  ["/runs/given-back", GivenBack],
  ["/runs/:id", RunPage],
  ["/rounds/:id", RoundPage],
  ["/rounds", Rounds],
  ["/set-up/catalogue", CataloguePlace],
  ["/recipients", Recipients],
  ["/recipients/post-room", PostRoom],
  ["/recipients/:id", RecipientPage],
  ["/set-up/ways-out", WaysOutPlace],
  ["/set-up/health", HealthPlace],
  ["/set-up/journal", JournalPlace],
  ["/set-up/people", PeoplePlace],
  ["/set-up/sources", SourcesPlace],
] as const;

// Where the address leads is loaded while the session is asked for.
PLACES.find(([path]) => matchPath(path, window.location.pathname))?.[1].load();

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      // What a person must mend is not asked again; a server that was not reached is.
      retry: isAskedAgain,
    },
  },
});

export function App() {
  return (
    <QueryClientProvider client={client}>
      <ErrorBoundary FallbackComponent={NotShown} onReset={forgetFailures}>
        <Suspense>{window.location.pathname === "/set-password" ? <SetPassword /> : <Door />}</Suspense>
      </ErrorBoundary>
    </QueryClientProvider>
  );
}

/** The library; in a house that reads nothing yet, whoever keeps it says what. */
function firstPlace({ person, sources }: Session): string {
  return sources.length === 0 && person.may.includes("keep") ? "/set-up/sources" : "/templates";
}

/** Everything is behind the sign-in. */
function Door() {
  const session = useQuery(resources.session());
  // Whatever is answered that nobody is signed in: it is asked who is, and this page stays as it is below the answer.
  useEffect(
    () => onSignedOut(() => void client.invalidateQueries({ queryKey: ["session"], exact: true })),
    [],
  );
  const out = session.error instanceof ApiError && session.error.status === 401;
  // Whoever looked through somebody's eyes has their own sign-in to do again.
  const through = out && session.data?.person.through;
  useEffect(() => {
    if (through) lookThrough(null);
  }, [through]);
  const nobody = useQuery({
    queryKey: ["first-start"],
    queryFn: () => answer(api.GET("/api/v1/first-start")),
    enabled: out && !session.data,
  });
  if (session.isPending || (out && !session.data && nobody.isPending)) return null;
  if (!session.data && nobody.data?.needed) return <FirstStart />;
  if (!session.data) return <SignIn away={!out} />;
  const { person } = session.data;
  return (
    <BrowserRouter key={person.id}>
      <Shell session={session.data}>
        <PlaceBoundary>
          <Suspense fallback={<main className="body soft">{tr("opening…")}</main>}>
            <Routes>
              <Route path="/templates" element={<Library />} />
              {PLACES.map(([path, Place]) => (
                <Route key={path} path={path} element={<Place />} />
              ))}
              <Route path="/set-up" element={<Navigate to="/set-up/sources" replace />} />
              <Route path="*" element={<Navigate to={firstPlace(session.data)} replace />} />
            </Routes>
          </Suspense>
        </PlaceBoundary>
      </Shell>
      {out && !person.through && <SignInAgain person={person} />}
    </BrowserRouter>
  );
}
