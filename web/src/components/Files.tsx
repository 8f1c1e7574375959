/** A table as a file: what is on the screen, as other programs read it. */
import { DropdownMenu } from "radix-ui";
import { Button } from "./ui";

type Query = Record<string, string | number | boolean | string[] | null | undefined>;
const FORMATS = {
  csv: "CSV",
  xlsx: "Excel, with what each column means",
  json: "JSON",
  parquet: "Parquet",
};

/** An address of the API with its question; what is not given is left out. */
export function addressOf(path: string, query: Query) {
  const words = new URLSearchParams();
  for (const [name, value] of Object.entries(query))
    for (const one of Array.isArray(value) ? value : [value])
      if (one !== undefined && one !== null) words.append(name, String(one));
  return `${path}?${words}`;
}

export function Files({ path, query }: { path: string; query: Query }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button>Export</Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={6}
          aria-label="As a file"
          className="z-30 rounded-box border bg-surface py-1 text-ink"
        >
          {Object.entries(FORMATS).map(([format, text]) => (
            <DropdownMenu.Item key={format} asChild>
              <a
                href={addressOf(path, { ...query, format })}
                download
                className="block px-3 py-1.5 outline-none data-[highlighted]:bg-plum-wash"
              >
                {text}
              </a>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
