// What people are called in a choice.
import type { Schemas } from "@/api/client";

type Person = Pick<Schemas["User"], "id" | "name" | "login" | "email">;

/** Whether somebody else has the same name. */
export const sharesName = (person: Person, among: Person[]): boolean =>
  among.some((other) => other.id !== person.id && other.name === person.name);

/** A person's name; with their login, e-mail or id where somebody else has the same name. */
export function personName(person: Person, among: Person[]): string {
  return sharesName(person, among) ? `${person.name} (${person.login || person.email || person.id})` : person.name;
}
