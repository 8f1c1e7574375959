import type { ReactNode } from "react";
import { cx } from "./ui";

interface Props {
  label: string;
  className?: string;
  children: ReactNode;
}

/** A framed region that scrolls when it must, by keys as well. */
export function Scroll({ label, className, children }: Props) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reachable by the keyboard (WCAG 2.1.1)
    <section aria-label={label} tabIndex={0} className={cx("panel overflow-auto", className)}>
      {children}
    </section>
  );
}
