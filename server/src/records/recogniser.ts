import { spawn } from 'node:child_process';
import type { Logger } from 'pino';

/** Recognises the words in pictures of pages with a program of its own, one picture at a time. */
export interface Recogniser {
  /** The words in a picture (PNG); null where the program, or a language that it is to read, is not installed. */
  words(png: Uint8Array): Promise<string | null>;
}

const program = 'tesseract';
/** A picture that takes longer has no words for us. */
const patienceMs = 60_000;
const mostLetters = 1_000_000;

/** Output of the program; throws where it is not installed or ends with an error. */
async function output(args: readonly string[], input: Uint8Array | null): Promise<string> {
  return new Promise((done, failed) => {
    // Whoever waits for a page on screen comes first.
    const child = spawn('nice', ['-n', '10', program, ...args], {
      env: { ...process.env, OMP_THREAD_LIMIT: '1' },
      stdio: ['pipe', 'pipe', 'ignore'],
    });
    const timer = setTimeout(() => child.kill('SIGKILL'), patienceMs);
    let out = '';
    child.stdout.setEncoding('utf8').on('data', (piece: string) => {
      out += piece;
      if (out.length > mostLetters) child.kill('SIGKILL');
    });
    // A program that is ended does not read to the end.
    child.stdin.on('error', () => undefined).end(input ?? undefined);
    child.on('error', failed);
    child.on('close', (code, signal) => {
      clearTimeout(timer);
      if (code === 0 || signal === 'SIGKILL') done(signal === null ? out : '');
      else failed(new Error(`${program} ended with ${code}`));
    });
  });
}

/** `languages`: what the program is to read, by its names for them (`eng+deu`). */
export function recogniser(languages: string, log: Logger): Recogniser {
  let installed: Promise<boolean> | null = null;
  let before: Promise<unknown> = Promise.resolve();
  const look = async (): Promise<boolean> => {
    const there = (await output(['--list-langs'], null).catch(() => '')).split('\n').map((line) => line.trim());
    const missing = languages.split('+').filter((language) => !there.includes(language));
    if (missing.length > 0) log.warn({ missing }, 'scans are not read: tesseract, or a language for it, is not installed');
    return missing.length === 0;
  };
  return {
    async words(png) {
      if (!(await (installed ??= look()))) return null;
      const mine = before.then(() => output(['stdin', 'stdout', '-l', languages, '--psm', '3'], png));
      before = mine.catch(() => undefined);
      // Where it leaves a line free it guesses at the layout: a number may go on behind that.
      return (await mine).replace(/\n\s*\n/g, '\n');
    },
  };
}
