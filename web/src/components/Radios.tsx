/** One of several, each with its words. */
import { RadioGroup } from "radix-ui";
import { type ReactNode, useId } from "react";
import { cx } from "./ui";

interface Props<T extends string> {
  label: string;
  choices: Record<T, ReactNode>;
  chosen: T;
  choose: (value: T) => void;
  disabled?: boolean;
  className?: string;
  /** What stands below a choice. */
  more?: (value: T) => ReactNode;
  itemClass?: (value: T) => string;
}

export function Radios<T extends string>(props: Props<T>) {
  const { label, choices, chosen, choose, disabled, className, more, itemClass } = props;
  const id = useId();
  return (
    <RadioGroup.Root
      aria-label={label}
      value={chosen}
      disabled={disabled}
      onValueChange={(value) => choose(value as T)}
      className={className ?? "flex flex-col gap-2"}
    >
      {(Object.entries(choices) as [T, ReactNode][]).map(([value, says]) => (
        <div key={value} className={itemClass?.(value)}>
          <span className="flex items-start gap-2">
            <RadioGroup.Item
              id={`${id}-${value}`}
              value={value}
              className="mt-[3px] inline-flex size-4 shrink-0 items-center justify-center rounded-full border border-quiet bg-surface data-[state=checked]:border-plum disabled:opacity-50"
            >
              <RadioGroup.Indicator className="size-2 rounded-full bg-plum" />
            </RadioGroup.Item>
            <label htmlFor={`${id}-${value}`} className={cx("flex-1", more && "font-medium")}>
              {says}
            </label>
          </span>
          {more?.(value)}
        </div>
      ))}
    </RadioGroup.Root>
  );
}
