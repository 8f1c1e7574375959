/** Fields that conditions are written in. */
import { Field, Input } from "../../../../components/ui";

interface TextProps {
  label: string;
  value?: string;
  set: (value: string) => void;
  placeholder?: string;
  error?: string;
}

export function Text({ label, value, set, placeholder, error }: TextProps) {
  return (
    <Field label={label} error={error}>
      {(p) => (
        <Input
          {...p}
          className="num"
          value={value ?? ""}
          placeholder={placeholder}
          onChange={(e) => set(e.target.value)}
        />
      )}
    </Field>
  );
}

export function Amount({ label, value, set }: { label: string; value: number; set: (value: number) => void }) {
  return (
    <Field label={label}>
      {(p) => (
        <Input
          {...p}
          type="number"
          min="1"
          className="num w-28!"
          value={value}
          onChange={(e) => set(Number(e.target.value))}
        />
      )}
    </Field>
  );
}
