import type * as z from 'zod';

/** What the browser remembers under a key; the default when there is nothing, or nothing that makes sense any more. */
export function remembered<T>(key: string, schema: z.ZodType<T>, fallback: T): T {
  try {
    const parsed = schema.safeParse(JSON.parse(localStorage.getItem(key) ?? 'null'));
    return parsed.success ? parsed.data : fallback;
  } catch {
    return fallback;
  }
}

/** Storage may be full or forbidden; then the setting lasts for this visit only. */
export function remember(key: string, value: unknown): void {
  try {
    localStorage.setItem(key, JSON.stringify(value));
  } catch {
    return;
  }
}
