// Forms: checked by a schema as they are typed, and given the server's problems at the fields that it names.
import { zodResolver } from "@hookform/resolvers/zod";
import { useState } from "react";
import { useForm, type DefaultValues, type FieldValues, type Path } from "react-hook-form";
import * as z from "zod/mini";
import { ProblemError } from "@/api/client";

// The page's policy forbids code made from text, which is how zod would be faster.
z.config({ jitless: true });

/** A JSON Pointer (RFC 6901) as the name of a field in a form: “/left/system” is “left.system”. */
export const fieldOf = (pointer: string): string =>
  pointer
    .split("/")
    .slice(1)
    .map((part) => part.replaceAll("~1", "/").replaceAll("~0", "~"))
    .join(".");

/** Whether a form has a field of this name, which may lie in others. */
export function hasField(values: unknown, name: string): boolean {
  let at = values;
  for (const part of name.split(".")) {
    if (typeof at !== "object" || at === null || !Object.hasOwn(at, part)) return false;
    at = (at as Record<string, unknown>)[part];
  }
  return true;
}

/**
 * A form over a schema. `send` is called with what is valid, and with the value of the button that was pressed; a problem
 * of the server is put at its fields if all of them are in the form, and is returned as `trouble` otherwise.
 */
export function useProblemForm<T extends FieldValues>(
  schema: z.ZodMiniType<T, T>,
  defaultValues: DefaultValues<T>,
  send: (values: T, by: string) => Promise<unknown>,
) {
  const form = useForm<T>({ resolver: zodResolver(schema), defaultValues, mode: "onTouched" });
  const [trouble, setTrouble] = useState<unknown>();
  const submit = form.handleSubmit(async (values, event) => {
    setTrouble(undefined);
    try {
      await send(values, pressed(event));
    } catch (caught) {
      const fields = caught instanceof ProblemError ? (caught.problem.fields ?? []) : [];
      const known = fields.filter((f) => hasField(form.getValues(), fieldOf(f.pointer)));
      known.forEach((f) => form.setError(fieldOf(f.pointer) as Path<T>, { message: f.detail }));
      if (known.length < fields.length || fields.length === 0) setTrouble(caught);
    }
  });
  return { form, submit: (e?: React.SyntheticEvent) => void submit(e), trouble };
}

/** The value of the button by which a form was sent; empty if by Enter, or if the button has none. */
function pressed(event: React.BaseSyntheticEvent | undefined): string {
  const sent = event?.nativeEvent as SubmitEvent | undefined;
  return sent?.submitter instanceof HTMLButtonElement ? sent.submitter.value : "";
}
