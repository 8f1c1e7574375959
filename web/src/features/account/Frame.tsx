import type { ReactNode } from "react";

/** The plain page around sign-in and set-up. */
export function Frame({ title, lead, children }: { title: string; lead?: string; children: ReactNode }) {
  return (
    <main className="mx-auto flex min-h-screen max-w-md flex-col justify-center gap-5 px-4 py-10">
      <p className="font-head text-xl font-bold">Clabo</p>
      <div>
        <h1 className="text-2xl">{title}</h1>
        {lead && <p className="mt-1 text-quiet">{lead}</p>}
      </div>
      {children}
    </main>
  );
}
