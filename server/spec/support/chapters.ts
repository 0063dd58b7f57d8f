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
  return (title, tell, timeout) => {
    let told: Promise<void> | null = null;
    story.push(() => (told ??= Promise.resolve(tell())));
    const upToHere = [...story];
    it(
      title,
      async () => {
        for (const chapter of upToHere) await chapter();
        // Its expectations may have been made on behalf of a later one.
        expect().nothing();
      },
      timeout,
    );
  };
}
