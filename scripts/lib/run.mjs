import { spawn } from 'node:child_process';
import { createServer } from 'node:net';
import { dirname, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';

/** The project's folder. */
export const root = resolve(dirname(fileURLToPath(import.meta.url)), '../..');

/** Runs a command to its end with its output shown; rejects when it fails. */
export function run(command, args, options = {}) {
  return new Promise((done, fail) => {
    const child = spawn(command, args, { cwd: root, stdio: 'inherit', ...options });
    child.on('error', fail);
    child.on('exit', (code, signal) => (code === 0 ? done() : fail(new Failed(command, args, code ?? signal))));
  });
}

/** Runs a command to its end and gives its output; rejects when it fails, with the output in the error. */
export function output(command, args, options = {}) {
  return new Promise((done, fail) => {
    const child = spawn(command, args, { cwd: root, stdio: ['ignore', 'pipe', 'pipe'], ...options });
    let text = '';
    let errors = '';
    child.stdout.on('data', (data) => (text += data));
    child.stderr.on('data', (data) => (errors += data));
    child.on('error', fail);
    child.on('exit', (code, signal) => (code === 0 ? done(text) : fail(new Failed(command, args, code ?? signal, text + errors))));
  });
}

export class Failed extends Error {
  constructor(command, args, code, text = '') {
    super(`${command} ${args.slice(0, 3).join(' ')} ended with ${code}`);
    this.code = code;
    this.text = text;
  }
}

/** How the server's process is started: most of what intake allocates dies young, and a larger nursery keeps it from being copied. */
export const SERVER = ['--enable-source-maps', '--max-semi-space-size=64', 'server/dist/main.js'];

/** Starts a service and resolves once a line of its output matches; its other output goes to `show`. */
export function service(args, { env, ready, show }) {
  const child = spawn(process.execPath, args, { cwd: root, env: { ...process.env, ...env }, stdio: ['ignore', 'pipe', 'pipe'] });
  const started = new Promise((done, fail) => {
    let text = '';
    const take = (data) => {
      text += data;
      const found = ready.exec(text);
      if (found) done(found);
      show?.(String(data));
    };
    child.stdout.on('data', take);
    child.stderr.on('data', take);
    child.on('exit', (code) => fail(new Error(text.trim().split('\n').slice(-8).join('\n') || `ended with ${code}`)));
  });
  const stop = () =>
    new Promise((done) => {
      if (child.exitCode !== null || child.signalCode !== null) return done();
      child.on('exit', () => done());
      child.kill('SIGTERM');
      setTimeout(() => child.kill('SIGKILL'), 9000).unref();
    });
  return { child, started, stop };
}

/** Can this port of loopback be listened on? */
export function portIsFree(port) {
  return new Promise((done) => {
    const server = createServer();
    server.once('error', () => done(false));
    server.listen(port, '127.0.0.1', () => server.close(() => done(true)));
  });
}

/** A port of loopback that nobody listens on. */
export function freePort() {
  return new Promise((done, fail) => {
    const server = createServer();
    server.once('error', fail);
    server.listen(0, '127.0.0.1', () => {
      const { port } = server.address();
      server.close(() => done(port));
    });
  });
}
