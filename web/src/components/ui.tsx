/** Small shared pieces of the interface. */
import type { ButtonHTMLAttributes, InputHTMLAttributes, ReactNode, SelectHTMLAttributes } from "react";
import { useId, useState } from "react";
import type { Problem } from "../api/client";

export const cx = (...names: (string | false | null | undefined)[]) => names.filter(Boolean).join(" ");

export type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & { kind?: "main" | "plain" | "quiet" | "against" };
const KINDS = {
  main: "bg-plum text-paper border-plum hover:brightness-110",
  plain: "bg-surface border-line hover:border-plum",
  quiet: "border-transparent text-plum underline decoration-line underline-offset-4 hover:decoration-plum px-1",
  against: "bg-surface border-line text-brick hover:border-brick",
};
export function Button({ kind = "plain", className, ...rest }: ButtonProps) {
  return (
    <button
      type="button"
      className={cx(
        "inline-flex items-center gap-2 rounded-box border px-3 py-1.5 font-medium whitespace-nowrap disabled:cursor-not-allowed disabled:opacity-50",
        KINDS[kind],
        className,
      )}
      {...rest}
    />
  );
}

/** A button that reads like a link: something small, in the middle of what it belongs to. */
export function TextButton({ className, ...rest }: ButtonHTMLAttributes<HTMLButtonElement>) {
  return <button type="button" className={cx("text-plum underline disabled:opacity-50", className)} {...rest} />;
}

interface FieldProps {
  label: string;
  hint?: ReactNode;
  error?: string;
  children: (props: { id: string; "aria-describedby": string; "aria-invalid": boolean }) => ReactNode;
}
export function Field({ label, hint, error, children }: FieldProps) {
  const id = useId();
  return (
    <div className="flex flex-col gap-1">
      <label htmlFor={id} className="font-medium">
        {label}
      </label>
      {children({ id, "aria-describedby": `${id}-more`, "aria-invalid": Boolean(error) })}
      <div id={`${id}-more`} className={cx("text-small", error ? "text-brick" : "text-quiet")}>
        {error ? <span role="alert">{error}</span> : hint}
      </div>
    </div>
  );
}

const BOX = "w-full rounded-box border border-quiet/50 bg-surface px-2.5 py-1.5 aria-invalid:border-brick";
export function Input({ className, ...rest }: InputHTMLAttributes<HTMLInputElement>) {
  return <input className={cx(BOX, className)} {...rest} />;
}
export function Select({ className, ...rest }: SelectHTMLAttributes<HTMLSelectElement>) {
  return <select className={cx(BOX, "pr-7", className)} {...rest} />;
}

/** The error of `field`, if the problem is about it. */
export const fieldError = (problem: unknown, field: string) =>
  problem && (problem as Problem).field === field ? (problem as Problem).message : undefined;

/** A problem that belongs to none of the fields shown. */
export function FormProblem({ problem, fields }: { problem: unknown; fields: string[] }) {
  if (!problem || fields.includes((problem as Problem).field)) return null;
  return (
    <p role="alert" className="border-l-4 border-brick pl-3 text-brick">
      {(problem as Error).message}
    </p>
  );
}

export function Loading({ what }: { what: string }) {
  return (
    <p role="status" className="py-10 text-quiet">
      Reading {what} …
    </p>
  );
}

export function Failed({ error, retry }: { error: unknown; retry?: () => void }) {
  return (
    <div role="alert" className="flex flex-col items-start gap-3 border-l-4 border-brick py-2 pl-4">
      <p>{error instanceof Error ? error.message : "Something went wrong."}</p>
      {retry && <Button onClick={retry}>Try again</Button>}
    </div>
  );
}

/** Nothing here yet, and the one next step. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="flex max-w-xl flex-col items-start gap-3 border-l-4 border-line py-3 pl-5">
      <h2 className="text-lg">{title}</h2>
      {children}
    </div>
  );
}

export function CopyLine({ text, label }: { text: string; label: string }) {
  const [copied, setCopied] = useState(false);
  return (
    <div className="flex items-stretch rounded-box border bg-surface">
      <code className="num min-w-0 flex-1 px-3 py-2 break-all select-all">{text}</code>
      <button
        type="button"
        className="w-20 border-l font-medium text-plum hover:bg-plum-wash"
        aria-label={`Copy ${label}`}
        onClick={async () => {
          await navigator.clipboard.writeText(text);
          setCopied(true);
          setTimeout(() => setCopied(false), 1500);
        }}
      >
        {copied ? "Copied" : "Copy"}
      </button>
    </div>
  );
}

/** A place's head: what this is, and what can be done. */
export function Head({ title, lead, actions }: { title: ReactNode; lead?: ReactNode; actions?: ReactNode }) {
  return (
    <header className="flex flex-wrap items-start justify-between gap-x-6 gap-y-3 border-b-2 border-ink pb-3">
      <div className="max-w-3xl">
        <h1 className="text-head leading-tight">{title}</h1>
        {lead && <p className="mt-1 text-quiet">{lead}</p>}
      </div>
      {actions && <div className="flex flex-wrap gap-2">{actions}</div>}
    </header>
  );
}

/** A variant's letter in a square; the control has a double outline. */
export function Letter({ letter }: { letter: string }) {
  return (
    <span
      className={cx(
        "num inline-flex size-5 items-center justify-center rounded-[3px] border border-ink leading-none font-semibold",
        letter === "A" && "outline outline-offset-1 outline-ink",
      )}
    >
      {letter}
    </span>
  );
}
