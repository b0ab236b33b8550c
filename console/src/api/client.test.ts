import { afterEach, expect, it, vi } from "vitest";
import { ApiError, api, setAntiforgery, unwrap } from "./client";

afterEach(() => vi.unstubAllGlobals());

const answer = (status: number, body: unknown) =>
  vi.stubGlobal(
    "fetch",
    vi.fn(async () => new Response(JSON.stringify(body), { status, headers: { "content-type": "application/json" } })),
  );

it("tells what happened and what to do next", async () => {
  answer(404, { detail: "There is no batch 'x'.", remedy: "See the plan" });
  const error = await unwrap(api.GET("/api/v1/batches")).catch((e: unknown) => e);
  expect(error).toBeInstanceOf(ApiError);
  expect(error).toMatchObject({ message: "There is no batch 'x'.", remedy: "See the plan", status: 404 });
});

it("says so when the service cannot be reached", async () => {
  vi.stubGlobal("fetch", vi.fn().mockRejectedValue(new TypeError("refused")));
  await expect(unwrap(api.GET("/api/v1/batches"))).rejects.toMatchObject({ status: 0 });
});

it("sends the word against forgery with writes alone", async () => {
  answer(200, {});
  setAntiforgery("word");
  await unwrap(api.GET("/api/v1/batches"));
  await unwrap(api.DELETE("/api/v1/session"));
  const sent = vi
    .mocked(fetch)
    .mock.calls.map(([request]) => (request as Request).headers.get("X-Caravan-Antiforgery"));
  expect(sent).toEqual([null, "word"]);
});
