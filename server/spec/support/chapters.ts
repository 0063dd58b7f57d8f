/** Milliseconds that a chapter may take by itself, and that each may at least. */
const usualPatience = 30_000;
const leastPatience = 120_000;

/**
 * Specs that tell one story: each begins where the one before it ended. Whichever is asked for first tells the story up to
 * itself, so that each stands alone and they may come in any order; no chapter is told twice.
 *
 *     const chapter = chapters();
 *     chapter('a file is taken in', async () => { … });
 *     chapter('what was taken in is filed', async () => { … });
 */
export function chapters(): (title: string, tell: () => void | Promise<void>, timeout?: number) => void {
  const story: (() => Promise<void>)[] = [];
  let patience = 0;
  return (title, tell, timeout = usualPatience) => {
    let told: Promise<void> | null = null;
    story.push(() => (told ??= Promise.resolve(tell())));
    const upToHere = [...story];
    // Whoever comes first tells all of it, and has the time of all of it.
    patience += timeout;
    it(
      title,
      async () => {
        for (const chapter of upToHere) await chapter();
        // Its expectations may have been made on behalf of a later one.
        expect().nothing();
      },
      Math.max(patience, leastPatience),
    );
  };
}
