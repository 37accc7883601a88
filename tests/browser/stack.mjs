import { spawn } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { chromium } from 'playwright-core';

export const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '../..');

/** What ./run says when one can sign in, or begin where it is empty. */
const ready = /orla@example\.com\s+password: \S+|Open this to begin: \S+|Sign in at \S+/;

/** Starts the real ./run with a data folder of its own; gives its address, folder, and a way to stop it. */
export async function startStack({ name, offset = 0, args = [], env = {} }) {
  const port = Number(process.env.GERMINAL_PORT ?? 25080) + offset;
  const home = `${process.env.GERMINAL_HOME ?? path.join(root, '.data', 'browser')}-${name}`;
  fs.rmSync(home, { recursive: true, force: true });
  fs.mkdirSync(home, { recursive: true, mode: 0o755 });
  async function begin() {
    const child = spawn('./run', ['--port', String(port), ...args], { cwd: root, env: { ...process.env, ...env, GERMINAL_HOME: home }, stdio: ['ignore', 'pipe', 'pipe'] });
    let output = '';
    await new Promise((resolve, reject) => {
      const read = (chunk) => {
        output += chunk;
        if (ready.test(output)) resolve();
      };
      child.stdout.on('data', read);
      child.stderr.on('data', read);
      child.on('exit', (code) => reject(new Error(`./run ended with ${code}:\n${output}`)));
      setTimeout(() => reject(new Error(`./run was not ready in ten minutes:\n${output}`)), 600_000).unref();
    });
    return { child, password: /ada@example\.com\s+password: (\S+)/.exec(output)?.[1], begin: /Open this to begin: (\S+)/.exec(output)?.[1] };
  }
  async function end(child) {
    const gone = new Promise((resolve) => child.on('exit', resolve));
    child.kill('SIGTERM');
    await Promise.race([gone, new Promise((resolve) => setTimeout(resolve, 20_000))]);
  }
  let { child, password, begin: beginning } = await begin();
  return {
    port,
    /** Of an empty installation: where it is begun. */
    beginning,
    url: `http://127.0.0.1:${port}`,
    standIns: `http://127.0.0.1:${port + 3}`,
    home,
    password,
    workerPid: () => Number(fs.readFileSync(path.join(home, 'worker-1.pid'), 'utf8')),
    /** Ends it and begins it again; what is to be done in between is done while nothing runs. */
    async restart(between) {
      await end(child);
      await between?.();
      ({ child } = await begin());
    },
    async stop() {
      await end(child);
      const link = path.join(home, 'pg');
      if (fs.existsSync(link)) fs.rmSync(fs.realpathSync(link), { recursive: true, force: true });
      fs.rmSync(home, { recursive: true, force: true });
    },
  };
}

/** Has the person's page show what it folds away, as somebody who likes it so has left it. */
export const showAll = () => {
  try {
    localStorage.setItem('germinal.kept.person-more', 'true');
  } catch {
    // The frame of a letter keeps nothing.
  }
};

export async function openBrowser() {
  return chromium.launch({
    executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync', '--disable-dev-shm-usage'],
  });
}

/** The pages of a file of tests that are open. */
export function openPages() {
  const open = new Set();
  return {
    watch(page) {
      open.add(page);
      page.once('close', () => open.delete(page));
    },
    /** A page is left open by a test that broke off: what stood on it is said, for whoever looks for the cause, and it is closed. */
    async sayLeft(t) {
      for (const page of [...open]) {
        const stood = await page.locator('body').innerText({ timeout: 5_000 }).catch((e) => e.message);
        console.log(`${t.name} broke off at ${page.url()}, where stood:\n${stood.slice(0, 1500)}\n…\n${stood.slice(-500)}`);
        await page.context().close();
      }
    },
  };
}

/** A client of the API with cookies and guard, for setting a scene quickly. */
export async function apiClient(url, email, password) {
  const cookies = new Map();
  async function call(method, where, body, guard) {
    const answer = await fetch(url + where, {
      method,
      headers: { ...(body && !(body instanceof FormData) ? { 'content-type': 'application/json' } : {}), ...(guard ? { 'X-Germinal-Guard': guard } : {}), cookie: [...cookies].map(([k, v]) => `${k}=${v}`).join('; ') },
      body: body instanceof FormData ? body : body ? JSON.stringify(body) : undefined,
    });
    for (const line of answer.headers.getSetCookie()) {
      const [, key, value] = /^([^=]+)=([^;]*)/.exec(line);
      cookies.set(key, value);
    }
    const text = await answer.text();
    if (!answer.ok) throw new Error(`${method} ${where}: ${answer.status} ${text}`);
    return text ? JSON.parse(text) : undefined;
  }
  let { guard } = await call('GET', '/api/session');
  await call('POST', '/api/session', { email, password }, guard);
  ({ guard } = await call('GET', '/api/session'));
  return { get: (where) => call('GET', where), post: (where, body) => call('POST', where, body, guard), put: (where, body) => call('PUT', where, body, guard) };
}

/** Asks again until the answer will do. */
export async function until(what, ask, seconds = 180) {
  const end = Date.now() + seconds * 1000;
  for (;;) {
    const answer = await ask();
    if (answer) return answer;
    if (Date.now() > end) throw new Error(`Waited ${seconds} s in vain for: ${what}`);
    await new Promise((resolve) => setTimeout(resolve, 150));
  }
}
