/** A drawing as a file: SVG with its colours written out, or PNG at twice its size. */

const STYLED = ["fill", "stroke", "font-family", "font-size", "font-weight", "font-style", "opacity"] as const;

/** The drawing as it looks now, resting on no style sheet. */
export function asSvg(drawn: SVGSVGElement): string {
  const copy = drawn.cloneNode(true) as SVGSVGElement;
  const [from, to] = [drawn.querySelectorAll<SVGElement>("*"), copy.querySelectorAll<SVGElement>("*")];
  from.forEach((element, place) => {
    const looks = getComputedStyle(element);
    const twin = to[place];
    if (!twin) return;
    for (const name of STYLED) {
      const value = looks.getPropertyValue(name);
      if (value) twin.setAttribute(name, value);
    }
    twin.removeAttribute("class");
  });
  const { width, height } = drawn.getBoundingClientRect();
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("width", String(Math.round(width)));
  copy.setAttribute("height", String(Math.round(height)));
  copy.removeAttribute("class");
  // Hatching is drawn elsewhere on the page.
  const hatching = document.getElementById("thin");
  if (hatching) {
    const defs = document.createElementNS("http://www.w3.org/2000/svg", "defs");
    const twin = hatching.cloneNode(true) as SVGElement;
    const line = hatching.querySelector("rect");
    if (line) twin.querySelector("rect")?.setAttribute("fill", getComputedStyle(line).fill);
    defs.append(twin);
    copy.prepend(defs);
  }
  const paper = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  paper.setAttribute("width", "100%");
  paper.setAttribute("height", "100%");
  paper.setAttribute("fill", getComputedStyle(document.documentElement).backgroundColor);
  copy.prepend(paper);
  return new XMLSerializer().serializeToString(copy);
}

/** The same as a picture of points; rejects where the browser cannot draw it. */
export async function asPng(drawn: SVGSVGElement): Promise<Blob> {
  const { width, height } = drawn.getBoundingClientRect();
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(asSvg(drawn))}`;
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = width * 2;
  canvas.height = height * 2;
  canvas.getContext("2d")?.drawImage(image, 0, 0, canvas.width, canvas.height);
  return new Promise((done, failed) =>
    canvas.toBlob(
      (blob) => (blob ? done(blob) : failed(new Error("This browser cannot make the picture."))),
      "image/png",
    ),
  );
}

export function download(blob: Blob, name: string) {
  const address = URL.createObjectURL(blob);
  const link = document.createElement("a");
  link.href = address;
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(address), 10_000);
}
