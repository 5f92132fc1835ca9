// What people are called in a choice.
import type { Schemas } from "@/api/client";

type Person = Pick<Schemas["User"], "id" | "name" | "login" | "email">;

/** A person's name; with their login, e-mail or id where somebody else has the same name. */
export function personName(person: Person, among: Person[]): string {
  const shared = among.some((other) => other.id !== person.id && other.name === person.name);
  return shared ? `${person.name} (${person.login || person.email || person.id})` : person.name;
}
