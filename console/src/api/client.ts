import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];

export const api = createClient<paths>({ baseUrl: "/api/v1" });

/** A refusal of the service, in its own words. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    detail: string,
    readonly fields: { message?: string; location?: string }[],
  ) {
    super(detail);
  }
}

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** Gives the data of an answer, or throws what the service said. */
export async function take<T>(answer: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await answer;
  if (response.ok) return data as T;
  const problem = (error ?? {}) as { detail?: string; errors?: { message?: string; location?: string }[] };
  throw new Refusal(
    response.status,
    problem.detail ?? `The service answered ${response.status}.`,
    problem.errors ?? [],
  );
}
