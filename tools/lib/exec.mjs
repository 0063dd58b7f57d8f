import { spawn } from 'node:child_process';
import { root } from './paths.mjs';

/** Runs a program to its end. Resolves with exit code and output; `echo` shows the output as it comes. */
export function exec(command, args, { cwd = root, env = {}, echo = false } = {}) {
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, {
      cwd,
      env: { ...process.env, ...env },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let output = '';
    const take = (stream) => (chunk) => {
      output += chunk;
      if (echo) stream.write(chunk);
    };
    child.stdout.on('data', take(process.stdout));
    child.stderr.on('data', take(process.stderr));
    child.on('error', reject);
    child.on('close', (code) => resolve({ code, output }));
  });
}
