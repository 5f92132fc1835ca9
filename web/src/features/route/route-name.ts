// What a route can be called.
import { z } from "zod";

export const routeName = z
  .string()
  .trim()
  .min(1, "A route needs a name.")
  .max(120, "A name has at most 120 characters.");
