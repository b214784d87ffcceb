/**
 * How long a test waits for something that happens: an idle machine needs a fraction of it; one that is busy with
 * other work may need all.
 */
const limitMs = 120_000;

/** Waits until a condition holds. @throws Error naming what was waited for */
export async function until(what: string, holds: () => boolean | Promise<boolean>): Promise<void> {
  const deadline = Date.now() + limitMs;
  while (!(await holds())) {
    if (Date.now() > deadline) throw new Error(`waited too long for ${what}`);
    await new Promise((resolve) => setTimeout(resolve, 15));
  }
}
