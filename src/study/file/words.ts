import * as z from 'zod';

/** Some words. */
export const text = z.string().min(1);

/** The name of a dataset, of a field, of a map. */
export const name = z
  .string()
  .regex(
    /^[\p{L}\p{N}][\p{L}\p{N} _-]*$/u,
    'must begin with a letter or digit and hold only letters, digits, blanks, - and _',
  );
