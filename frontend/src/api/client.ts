import createClient from "openapi-fetch";
import type { components, paths } from "./schema";
import { currentEyes } from "./eyes";
import { aboutSource } from "./source";
import { language, tr } from "../i18n";

export type Schemas = components["schemas"];
/** A template as it is kept; what stands at its default is left out. */
export type TemplateDocument = Schemas["Template"];
/** What narrows records: a comparison, a question about many others, a list, a formula, or a group of these. */
export type Narrowing = NonNullable<TemplateDocument["filter"]>;
export type Session = Schemas["Session"];
export type RecordType = Schemas["RecordTypeOut"];
export type RecordTypeFields = Schemas["RecordTypeFields"];
export type FieldGroup = Schemas["FieldGroup"];
export type FieldInfo = Schemas["FieldOut"];
export type FormatInfo = Schemas["FormatOut"];
/** A request in words, as it was understood. */
export type AskedInfo = Schemas["AskedOut"];
export type AskedPart = Schemas["AskedPartOut"];
/** The lists that templates choose from. */
export type Vocabulary = Schemas["Vocabulary"];
/** What a format is called in documents. */
export type FormatName = FormatInfo["name"];
export type Look = Schemas["Look"];
export type SentencePart = Schemas["PartOut"];
export type SheetColumn = Schemas["ColumnOut"];
export type Problem = Schemas["ProblemOut"];
export type WayOut = Schemas["WayOutOut"];
export type Tally = Schemas["Tally"];
export type WindowInfo = Schemas["WindowOut"];
export type TemplateInfo = Schemas["TemplateOut"];
export type TemplateRow = Schemas["TemplateRow"];
export type Run = Schemas["RunOut"];
export type RunPage = Schemas["RunPage"];
export type RoundInfo = Schemas["RoundOut"];
export type NewRound = Schemas["NewRound"];
export type PastRun = Schemas["PastRun"];
export type Comparison = Schemas["ComparisonOut"];
export type CheckCounts = Schemas["CheckCounts"];
export type CheckCount = Schemas["CheckCount"];
export type Mark = Schemas["Mark"];
export type RunTotals = Schemas["RunTotals"];
export type Planned = Schemas["Planned"];
export type Rhythm = Partial<Schemas["RhythmDocument"]>;
export type DaysOffInfo = Schemas["DaysOffOut"];
export type RemovedInfo = Schemas["RemovedOut"];
export type CatalogueInfo = Schemas["CatalogueOut"];
export type CatalogueTable = Schemas["CatalogueTable"];
export type CatalogueEdit = Schemas["Edit"];
export type CatalogueVersion = Schemas["CatalogueVersion"];
export type CuratedType = Schemas["CuratedType"];
export type CuratedField = Schemas["CuratedField"];
export type Broken = Schemas["BrokenOut"];
export type Missing = Schemas["MissingOut"];
export type Account = Schemas["Account"];
export type Belonging = Schemas["BelongingOut"];
export type SharedWith = Schemas["SharedWith"];
export type HandedOver = Schemas["HandedOver"];
export type GroupInfo = Schemas["GroupOut"];
export type Program = Schemas["ProgramOut"];
export type NewAccount = Schemas["NewAccount"];
export type NewGroup = Schemas["NewGroup"];
/** What somebody may see, as it is kept. */
export type Limits = NonNullable<Account["own_limits"]>;
export type RightScope = NonNullable<Account["own_scope"]>;
export type SourceInfo = Schemas["SourceOut"];
export type SourceStep = Schemas["StepOut"];
export type RecipientInfo = Schemas["RecipientOut"];
export type NewRecipient = Schemas["NewRecipient"];
export type WayOfRecipient = Schemas["WayOfRecipient"];
export type DeliveryInfo = Schemas["DeliveryOut"];
export type MeansInfo = Schemas["MeansOut"];
export type OutWay = Schemas["WayOut"];
export type Fits = Schemas["FitsOut"];
export type PostRoomInfo = Schemas["PostRoomOut"];
export type Arrival = Schemas["ArrivalOut"];
export type TokenInfo = Schemas["TokenOut"];
export type JournalEntry = Schemas["EntryOut"];
export type GivenBackInfo = Schemas["GivenBackOut"];
export type Expected = Schemas["Expected"];
export type Notice = Schemas["NoticeOut"];
export type ManyWay = Schemas["ManyOut"];
export type Trace = Schemas["Trace"];
export type Traced = Schemas["TracedOut"];
export type LeftOut = Schemas["LeftOut"];
export type FieldFacts = Schemas["FieldFacts"];
export type FunctionInfo = Schemas["FunctionOut"];
export type PicksInfo = Schemas["PicksOut"];
export type Matches = Schemas["Matches"];
export type Matched = Schemas["MatchedOut"];
export type Candidate = Schemas["CandidateOut"];
export type Questions = Schemas["Questions"];
export type BundleInfo = Schemas["BundleOut"];
export type BundleContents = Schemas["BundleContents"];
export type Question = Schemas["QuestionOut"];
/** One value, values out of a list, or a window, as an ask wants it. */
export type Answer = Schemas["Answer"];
export type ViewInfo = Schemas["ViewOut"];
export type RecordUses = Schemas["RecordUses"];
export type Preferences = Schemas["Preferences"];
export type VersionInfo = Schemas["VersionOut"];
export type Change = Schemas["ChangeOut"];
export type ExampleOut = Schemas["ExampleOut"];

/** What the server says when it cannot do something (RFC 9457). */
export type ProblemDetails = Schemas["ProblemDetails"];

/** An answer that is not a success. `status` is 0 when the server was not reached at all. */
export class ApiError extends Error {
  readonly problem: ProblemDetails;

  constructor(problem: ProblemDetails) {
    super(problem.detail);
    this.problem = problem;
  }

  get status(): number {
    return this.problem.status;
  }
}

/** Whether a question that failed is asked again: nothing was reached, or there was too much to do just then. */
export function isAskedAgain(times: number, error: unknown): boolean {
  return times < 3 && error instanceof ApiError && [0, 502, 503].includes(error.status);
}

export const api = createClient<paths>({ baseUrl: "/" });
api.use({
  async onRequest({ request }) {
    const address = aboutSource(request.url);
    const eyes = currentEyes();
    request.headers.set("Accept-Language", language);
    if (eyes) request.headers.set("Bouquet-Eyes", String(eyes.id));
    if (address === request.url) return undefined;
    // A body that was given to a request is a stream by now, which browsers do not send on.
    const body = request.body === null ? undefined : await request.blob();
    const { method, headers, signal, credentials } = request;
    return new Request(address, { method, headers, signal, credentials, body });
  },
});

const listeners = new Set<() => void>();

/**
 * Be told when the server answers that nobody is signed in, whatever was asked but who is. Gives how to be told no
 * longer.
 */
export function onSignedOut(told: () => void): () => void {
  listeners.add(told);
  return () => void listeners.delete(told);
}

const UNREACHED: ProblemDetails = {
  type: "/problems/unreached",
  title: tr("Not reached"),
  status: 0,
  detail: tr(
    "The server cannot be reached just now. What you typed is kept here; it is sent when it is back.",
  ),
};

/**
 * The data of an answer.
 * @throws ApiError with the server's problem details, or with status 0 when nothing was reached.
 */
export async function answer<T>(
  call: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  let result;
  try {
    result = await call;
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new ApiError(UNREACHED);
  }
  const { data, error, response } = result;
  if (response.ok) return data as T;
  const problem = error as Partial<ProblemDetails> | undefined;
  if (problem?.type === "/problems/sign_in" && !/\/api\/v1\/session(\?|$)/.test(response.url))
    listeners.forEach((told) => told());
  if (problem?.detail) throw new ApiError({ ...UNREACHED, ...problem, status: response.status });
  throw new ApiError({
    ...UNREACHED,
    status: response.status,
    detail: tr("The server answered {{status}}.", { status: response.status }),
  });
}

/** Address of a run's file. */
export function fileAddress(run: number, file: number): string {
  return `/api/v1/runs/${run}/files/${file}`;
}

/** Address of all files of a run as one zip. */
export function archiveAddress(run: number): string {
  return `/api/v1/runs/${run}/archive`;
}

/** The address under which a template's newest good file is always found. */
export function newestAddress(template: number): string {
  return `/api/v1/templates/${template}/newest`;
}

/** Have a file checked that a run made and a person edited; `run` says which, where that is known. */
export function giveBack(file: File, run: number | null): Promise<GivenBackInfo> {
  return answer(
    api.POST("/api/v1/runs/given-back", {
      params: { query: { name: file.name, run_id: run } },
      body: file as unknown as string,
      bodySerializer: (body) => body as never,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );
}
