import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Schemas } from "./client";

export type Job = Schemas["Job"];

export const isOver = (job: Job) =>
  job.state === "done" || job.state === "failed" || job.state === "cancelled";

/** Follows a job until it is over, then has the given queries read again. */
export function useProgress(job: Job | undefined, stale: unknown[]): Job | undefined {
  const [live, setLive] = useState<Job>();
  const queries = useQueryClient();
  const key = JSON.stringify(stale);
  const id = job && !isOver(job) ? job.id : undefined;
  useEffect(() => {
    if (!id) return;
    const source = new EventSource(`/api/v1/jobs/${id}/progress`);
    source.addEventListener("progress", (event) => {
      const next = JSON.parse((event as MessageEvent<string>).data) as Job;
      setLive(next);
      if (!isOver(next)) return;
      source.close();
      for (const queryKey of JSON.parse(key) as unknown[][]) queries.invalidateQueries({ queryKey });
    });
    return () => source.close();
  }, [id, key, queries]);
  return live && live.id === job?.id && !isOver(job) ? live : job;
}
