/** The rules that what people write is held against before it is sent; the server has the last word. */

import * as z from "zod/mini";
import { config } from "zod/mini";

// The content policy forbids code that is made at run time.
config({ jitless: true });

export { z };

/** A text that must not be empty. */
export const filled = (message = "Fill this in.") => z.string().check(z.trim(), z.minLength(1, message));

/** An address that a mail can go to, as far as one can see. */
export const email = z
  .string()
  .check(z.trim(), z.email("This is no e-mail address. It looks like ada@brackenhive.example."));

export const password = z.string().check(z.minLength(10, "At least 10 characters."));

/** What was written one a line, or with commas between. */
export const listOf = (text: string) => text.split(/[\s,]+/).filter(Boolean);
