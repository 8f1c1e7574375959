/** A box to tick, with its words beside it. */
import { Check } from "lucide-react";
import { Checkbox as Radix } from "radix-ui";
import { type ReactNode, useId } from "react";

interface Props {
  label: string;
  hint?: ReactNode;
  checked: boolean;
  set: (checked: boolean) => void;
  disabled?: boolean;
  name?: string;
  /** The words are for those alone who hear the screen. */
  bare?: boolean;
}

export function Checkbox({ label, hint, checked, set, disabled, name, bare }: Props) {
  const id = useId();
  const box = (
    <Radix.Root
      id={id}
      name={name}
      aria-label={bare ? label : undefined}
      checked={checked}
      disabled={disabled}
      onCheckedChange={(now) => set(now === true)}
      className="inline-flex size-4 shrink-0 items-center justify-center rounded-[2px] border border-quiet bg-surface align-middle text-paper data-[state=checked]:border-plum data-[state=checked]:bg-plum disabled:opacity-50"
    >
      <Radix.Indicator>
        <Check className="size-3.5" strokeWidth={3} aria-hidden />
      </Radix.Indicator>
    </Radix.Root>
  );
  if (bare) return box;
  return (
    <span className="flex items-start gap-2">
      <span className="leading-none pt-[3px]">{box}</span>
      <span>
        <label htmlFor={id}>{label}</label>
        {hint && <span className="block text-small text-quiet">{hint}</span>}
      </span>
    </span>
  );
}
