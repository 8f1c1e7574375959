/** Forms: what is written is held against a schema, sent, and the server's word comes back to its field. */
import { zodResolver } from "@hookform/resolvers/zod";
import { useMutation } from "@tanstack/react-query";
import type { InputHTMLAttributes, ReactNode, SelectHTMLAttributes, TextareaHTMLAttributes } from "react";
import {
  Controller,
  type DefaultValues,
  type FieldValues,
  type Path,
  type UseFormReturn,
  useForm,
} from "react-hook-form";
import { Problem } from "../api/client";
import type { z } from "../lib/zod";
import { Checkbox } from "./Checkbox";
import { cx, Field, Input, Select } from "./ui";

interface Asked<Values extends FieldValues, Done> {
  schema: z.ZodMiniType<Values, Values>;
  values: DefaultValues<Values>;
  send: (values: Values) => Promise<Done>;
  done?: (result: Done) => unknown;
  /** Fields that the server calls by another name. */
  alias?: Record<string, Path<Values>>;
  /** Empty again once it is sent. */
  resets?: boolean;
}

export type ServerForm<Values extends FieldValues, Done = unknown> = UseFormReturn<Values> & {
  submit: () => void;
  pending: boolean;
  result?: Done;
  problem?: string;
};

export function useServerForm<Values extends FieldValues, Done>(asked: Asked<Values, Done>): ServerForm<Values, Done> {
  const { schema, values, send, done, alias, resets } = asked;
  const form = useForm<Values>({ resolver: zodResolver(schema), defaultValues: values });
  const sent = useMutation({
    mutationFn: send,
    onSuccess: (result) => {
      if (resets) form.reset();
      return done?.(result);
    },
    onError: (error) => {
      const said = error instanceof Problem ? error.field : "";
      const field = alias?.[said] ?? said;
      const known = field in form.getValues();
      form.setError(
        (known ? field : "root.server") as Path<Values>,
        { message: error.message },
        { shouldFocus: known },
      );
    },
  });
  return {
    ...form,
    submit: form.handleSubmit((given) => sent.mutate(given)),
    pending: sent.isPending,
    result: sent.data,
    problem: form.formState.errors.root?.server?.message,
  };
}

interface FormProps<Values extends FieldValues> {
  form: ServerForm<Values>;
  className?: string;
  disabled?: boolean;
  children: ReactNode;
}
export function Form<Values extends FieldValues>({ form, className, disabled, children }: FormProps<Values>) {
  return (
    <form
      noValidate
      className={className ?? "flex flex-col gap-3"}
      onSubmit={(e) => {
        e.preventDefault();
        form.submit();
      }}
    >
      <fieldset disabled={disabled} className="contents">
        {children}
      </fieldset>
    </form>
  );
}

/** What is wrong and belongs to no field. */
export function Unplaced<Values extends FieldValues>({ form }: { form: ServerForm<Values> }) {
  if (!form.problem) return null;
  return (
    <p role="alert" className="border-l-4 border-brick pl-3 text-brick">
      {form.problem}
    </p>
  );
}

interface Named<Values extends FieldValues> {
  form: ServerForm<Values>;
  name: Path<Values>;
  label: string;
  hint?: ReactNode;
}

function messageOf<Values extends FieldValues>(form: ServerForm<Values>, name: Path<Values>) {
  const error = form.formState.errors[name];
  return typeof error?.message === "string" ? error.message : undefined;
}

type WrittenProps<Values extends FieldValues> = Named<Values> &
  Omit<InputHTMLAttributes<HTMLInputElement>, "form" | "name">;
export function Written<Values extends FieldValues>({ form, name, label, hint, ...rest }: WrittenProps<Values>) {
  return (
    <Field label={label} hint={hint} error={messageOf(form, name)}>
      {(p) => <Input {...p} {...rest} {...form.register(name)} />}
    </Field>
  );
}

type LinesProps<Values extends FieldValues> = Named<Values> &
  Omit<TextareaHTMLAttributes<HTMLTextAreaElement>, "form" | "name">;
export function Lines<Values extends FieldValues>({ form, name, label, hint, className, ...rest }: LinesProps<Values>) {
  return (
    <Field label={label} hint={hint} error={messageOf(form, name)}>
      {(p) => (
        <textarea
          {...p}
          {...rest}
          {...form.register(name)}
          className={cx("num w-full rounded-box border border-quiet/50 bg-surface px-2.5 py-1.5", className)}
        />
      )}
    </Field>
  );
}

type ChosenProps<Values extends FieldValues> = Named<Values> &
  Omit<SelectHTMLAttributes<HTMLSelectElement>, "form" | "name">;
export function Chosen<Values extends FieldValues>({ form, name, label, hint, ...rest }: ChosenProps<Values>) {
  return (
    <Field label={label} hint={hint} error={messageOf(form, name)}>
      {(p) => <Select {...p} {...rest} {...form.register(name)} />}
    </Field>
  );
}

export function Ticked<Values extends FieldValues>({ form, name, label, hint }: Named<Values>) {
  return (
    <Controller
      control={form.control}
      name={name}
      render={({ field }) => <Checkbox label={label} hint={hint} checked={field.value} set={field.onChange} />}
    />
  );
}
