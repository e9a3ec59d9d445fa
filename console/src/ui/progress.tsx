import { useState } from "react";
import type { Job } from "../api/progress";
import { Losses } from "../chart/losses";
import { Button } from "./controls";

/** A running job: how far, how fast, how long still. */
export function Progress({
  job,
  cancel,
  pause,
}: {
  job: Job;
  cancel: () => Promise<unknown>;
  pause?: () => Promise<unknown>;
}) {
  const [asked, setAsked] = useState(false);
  const share = job.share;
  const left = job.left > 0 ? `, ${Math.ceil(job.left)} s left` : "";
  const rate =
    job.rate >= 0.1 ? `, ${job.rate >= 10 ? Math.round(job.rate) : job.rate.toFixed(1)} a second` : "";
  return (
    <div className="flex flex-col gap-2">
      <div className="flex items-center gap-4">
        <div
          role="progressbar"
          aria-label="Progress"
          aria-valuemin={0}
          aria-valuemax={100}
          aria-valuenow={Math.round(100 * job.share)}
          className="h-2 flex-1 border border-rule bg-sheet"
        >
          <div className="h-full bg-copper" style={{ width: `${100 * share}%` }} />
        </div>
        <span className="text-small text-soft">
          {job.state === "queued"
            ? "waiting for its turn"
            : `${job.done} of ${job.total} tasks${rate}${left}${job.note ? `; ${job.note}` : ""}`}
        </span>
        {pause && (
          <Button weak disabled={asked} onClick={() => pause()}>
            Pause
          </Button>
        )}
        <Button
          weak
          disabled={asked}
          onClick={() => {
            setAsked(true);
            cancel();
          }}
        >
          Cancel
        </Button>
      </div>
      {/* One value is no curve yet. */}
      {(job.learning?.[0]?.values.length ?? 0) > 1 && <Losses curves={job.learning ?? []} />}
    </div>
  );
}
