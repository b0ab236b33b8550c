import createClient, { type Middleware } from "openapi-fetch";
import type { components, paths } from "./api-schema";

export type Schemas = components["schemas"];
export type Move = Schemas["MoveView"];
export type Batch = Schemas["BatchView"];
export type Counts = Schemas["Counts"];
export type Stage = Schemas["MoveStage"];
export type Kind = Schemas["LegView"]["kind"];
export type Condition = Schemas["MoveCondition"];
export type Problem = Schemas["Problem"];
export type Service = Schemas["ServiceView"];
export type Difference = Schemas["DifferenceView"];
export type DifferenceChoice = Schemas["DifferenceChoice"];
export type Comparison = Schemas["ComparisonView"];
export type LeftBehind = Schemas["LeftBehindView"];

/** What the service says when it cannot do something: what happened, and what to do next. */
export class ApiError extends Error {
  constructor(
    message: string,
    readonly remedy: string | undefined,
    readonly status: number,
    /** What is wrong in a plan or its rules, place by place. */
    readonly problems: Schemas["PlanProblem"][] = [],
    /** What happened, in the service's stable word for programs. */
    readonly word?: string,
  ) {
    super(message);
  }
}

let antiforgery = "";

/** The antiforgery token of this session, sent with every write. */
export function setAntiforgery(word: string) {
  antiforgery = word;
}

const guard: Middleware = {
  onRequest({ request }) {
    if (request.method !== "GET" && antiforgery) request.headers.set("X-Caravan-Antiforgery", antiforgery);
    return request;
  },
};

export const api = createClient<paths>({
  baseUrl: globalThis.location?.origin ?? "http://localhost",
  fetch: (request) => globalThis.fetch(request),
});
api.use(guard);

/** The answer's data; or the error, with its remedy. */
export async function unwrap<T>(answer: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result: { data?: T; error?: unknown; response: Response };
  try {
    result = await answer;
  } catch {
    throw new ApiError(
      "The service cannot be reached.",
      "Look whether it is running; this page tries again by itself",
      0,
    );
  }
  if (result.response.ok) return result.data as T;
  const problem = (result.error ?? {}) as {
    detail?: string;
    title?: string;
    remedy?: string;
    cause?: string;
    problems?: Schemas["PlanProblem"][];
  };
  throw new ApiError(
    problem.detail ?? problem.title ?? `The service answered ${result.response.status}.`,
    problem.remedy,
    result.response.status,
    problem.problems,
    problem.cause,
  );
}
