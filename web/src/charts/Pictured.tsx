/** A drawing that can be taken out as a picture. */
import { type ReactNode, useRef } from "react";
import { toast } from "sonner";
import { TextButton } from "../components/ui";
import { asPng, asSvg, download } from "./picture";

export function Pictured({ name, children }: { name: string; children: ReactNode }) {
  const around = useRef<HTMLDivElement>(null);
  const drawn = () => around.current?.querySelector<SVGSVGElement>("svg[role=img]");
  return (
    <div ref={around}>
      {children}
      <p className="text-right text-small text-quiet print:hidden">
        This drawing as{" "}
        <TextButton
          onClick={() => {
            const svg = drawn();
            if (svg) download(new Blob([asSvg(svg)], { type: "image/svg+xml" }), `${name}.svg`);
          }}
        >
          SVG
        </TextButton>{" "}
        or{" "}
        <TextButton
          onClick={async () => {
            const svg = drawn();
            if (!svg) return;
            try {
              download(await asPng(svg), `${name}.png`);
            } catch {
              toast("This browser cannot make the picture. Take the SVG.");
            }
          }}
        >
          PNG
        </TextButton>
      </p>
    </div>
  );
}
