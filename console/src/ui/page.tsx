import { Dialog } from "radix-ui";
import { type ReactNode, useEffect, useState } from "react";
import { Refusal } from "../api/client";
import { Button, Input } from "./controls";

/** A page: its name for the tab, and its content. */
export function Page({ title, children }: { title: string; children: ReactNode }) {
  useEffect(() => {
    document.title = `${title} · Paper Kettle`;
  }, [title]);
  return <div className="flex flex-col gap-5">{children}</div>;
}

/** The first line of a page answers what the reader came for. */
export function Lead({ children }: { children: ReactNode }) {
  return <h1 className="max-w-[90ch] text-lead leading-snug font-medium">{children}</h1>;
}

export function Section({
  title,
  aside,
  children,
}: {
  title: string;
  aside?: ReactNode;
  children: ReactNode;
}) {
  return (
    <section className="flex flex-col gap-2">
      <div className="flex flex-wrap items-end gap-3 border-b border-rule pb-1">
        <h2 className="font-semibold">{title}</h2>
        <span className="flex-1" />
        {aside}
      </div>
      {children}
    </section>
  );
}

/** An empty page says what to do next, with the command and the button. */
export function Empty({ text, command, action }: { text: string; command: string; action?: ReactNode }) {
  return (
    <div className="flex max-w-[80ch] flex-col items-start gap-3 border-t border-rule pt-4">
      <p>{text}</p>
      <code className="border border-rule bg-tint px-3 py-2 text-small whitespace-pre-wrap">{command}</code>
      {action}
    </div>
  );
}

type ModalProps = {
  title: string;
  open: boolean;
  change: (open: boolean) => void;
  trigger: ReactNode;
  width?: string;
  children: ReactNode;
};

/** What is settled apart from the page, in its midst. */
export function Modal({ title, open, change, trigger, width = "w-[640px]", children }: ModalProps) {
  return (
    <Dialog.Root open={open} onOpenChange={change}>
      <Dialog.Trigger asChild>{trigger}</Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-10 bg-black/30" />
        <Dialog.Content
          aria-describedby={undefined}
          className={`fixed top-1/2 left-1/2 z-10 max-h-[94vh] max-w-[96vw] -translate-1/2 overflow-auto border border-rule bg-paper p-5 ${width}`}
        >
          <Dialog.Title className="mb-3 text-title font-medium">{title}</Dialog.Title>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

export function Waiting({ what }: { what: string }) {
  return <p className="text-soft">Reading {what} …</p>;
}

/** Why figures deserve less trust: the first two in sight, the rest behind a click. */
export function Cautions({ list }: { list: string[] | null | undefined }) {
  const all = list ?? [];
  const one = (c: string) => (
    <p key={c} className="border-l-2 border-copper pl-3">
      Caution: {c}
    </p>
  );
  if (all.length === 0) return null;
  return (
    <div className="flex flex-col gap-2 text-small">
      {all.slice(0, 2).map(one)}
      {all.length > 2 && (
        <details>
          <summary className="cursor-pointer text-soft">
            {all.length - 2} more {all.length === 3 ? "caution" : "cautions"}
          </summary>
          <div className="flex flex-col gap-2 pt-2">{all.slice(2).map(one)}</div>
        </details>
      )}
    </div>
  );
}

/** What went wrong, in the service's words; asks for a token where one is needed. */
export function Trouble({ error }: { error: unknown }) {
  if (error instanceof Refusal && error.status === 401) return <TokenForm />;
  const fields = error instanceof Refusal ? error.fields : [];
  return (
    <div role="alert" className="border-l-2 border-alarm pl-3">
      <p>{error instanceof Error ? error.message : String(error)}</p>
      {fields.length > 1 && (
        <ul className="mt-1 text-soft">
          {fields.map((f) => (
            <li key={`${f.location}${f.message}`}>
              {f.location}: {f.message}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

function TokenForm() {
  const [token, setToken] = useState("");
  const [wrong, setWrong] = useState(false);
  async function enter() {
    const answer = await fetch("/api/v1/session", {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ token }),
    });
    if (answer.ok) location.reload();
    else setWrong(true);
  }
  return (
    <form
      className="flex flex-col items-start gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        enter();
      }}
    >
      <p>This service needs a token. Ask its keeper for one, or make it with:</p>
      <code className="bg-tint px-2 py-1">paperkettle token create NAME --role analyst</code>
      <Input label="Token" type="password" value={token} onChange={setToken} />
      {wrong && <p role="alert">This token is not known here.</p>}
      <Button type="submit">Enter</Button>
    </form>
  );
}
