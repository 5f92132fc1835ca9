// What a route can be called.
import * as z from "zod/mini";

export const routeName = z
  .string()
  .check(z.trim(), z.minLength(1, "A route needs a name."), z.maxLength(120, "A name has at most 120 characters."));
