/** An end with a sentence a person can act on, instead of a stack trace. */
export class Stop extends Error {}

export function say(line) {
  process.stdout.write(`${line}\n`);
}

/** Runs a tool's main function; a Stop ends it with its sentence and exit code 1. */
export async function run(main) {
  try {
    await main();
  } catch (error) {
    // The server’s own sentence about its configuration is one as well.
    if (error instanceof Stop || error?.name === 'ConfigWrong') process.stderr.write(`\n${error.message}\n`);
    else process.stderr.write(`\n${error?.stack ?? error}\n`);
    process.exitCode = 1;
  }
}
