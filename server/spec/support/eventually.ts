/** Waits until something holds that goes on beside; fails when it does not come. What throws does not hold yet. */
export async function eventually(holds: () => Promise<boolean>, withinMs = 150_000, lookEveryMs = 50): Promise<void> {
  for (const end = Date.now() + withinMs; Date.now() < end;) {
    if (await holds().catch(() => false)) return;
    await new Promise((resolve) => setTimeout(resolve, lookEveryMs));
  }
  throw new Error('it did not come to hold');
}
