/** Another way to the collector, where the page's own `fetch` is missing, broken or made to fail: a frame's. */
import { type Carry, carry } from "../queue";
import { ofDocument } from "../safe";
import type { Tag } from "../tag";

function framed(): typeof fetch {
  const frame = document.createElement("iframe");
  frame.style.display = "none";
  frame.setAttribute("aria-hidden", "true");
  ofDocument("documentElement").appendChild(frame);
  const own = frame.contentWindow as unknown as typeof globalThis;
  // In a page without an origin of its own this is forbidden.
  return own.fetch.bind(own);
}

const asked = (to: string): Carry => {
  const done = (answer: XMLHttpRequest) =>
    !!answer.getResponseHeader("clabo") && answer.status < 500 && answer.status !== 429;
  return (body) =>
    new Promise((tell, fail) => {
      const request = new XMLHttpRequest();
      request.open("POST", to);
      request.onload = () => tell(done(request));
      request.onerror = fail;
      request.send(body);
    });
};

window.clabo?.part?.("carry", (tag: Tag) => {
  const to = `${tag.settings.to}/hit/${tag.settings.key}`;
  let by: typeof fetch | undefined;
  try {
    by = framed();
  } catch {}
  tag.carry = by ? carry(() => by as typeof fetch, to) : asked(to);
});
