/** How long the page took: until it had loaded, and until its largest part was painted, where the browser says so. */
import { tried } from "./safe";
import type { Tag } from "./tag";

/** The largest part of a page that goes on loading may come late; what comes after this was not waited for. */
const PATIENCE = 8000;

/** Measures in a share of views. What was painted before this was there is told all the same. */
export function measure(tag: Tag) {
  // A tab that was opened in the background is painted once somebody looks at it.
  if (document.hidden || !(Math.random() < (tag.settings.speed as number))) return;
  let largest = 0;
  const looking = tried(() => {
    const observer = new PerformanceObserver((list) => {
      for (const one of list.getEntries()) largest = Math.max(largest, one.startTime);
    });
    observer.observe({ type: "largest-contentful-paint", buffered: true });
    return observer;
  });
  let told = false;
  const tell = () => {
    if (told) return;
    told = true;
    looking?.disconnect();
    const [page] = performance.getEntriesByType("navigation") as PerformanceNavigationTiming[];
    if (!page?.loadEventStart) return;
    // What was made ready beforehand nobody waited for.
    const shown = (page as { activationStart?: number }).activationStart ?? 0;
    const waited = (time: number) => Math.round(Math.max(0, time - shown));
    tag.event("loaded", undefined, {
      at: Math.round(Date.now() - performance.now() + page.loadEventStart),
      url: page.name.slice(0, 2048),
      properties: { load: waited(page.loadEventStart), ...(largest && { largest: waited(largest) }) },
    });
  };
  setTimeout(() => tried(tell), PATIENCE);
  tag.leaving.push(tell);
}
