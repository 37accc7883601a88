// The parts of Germinal end as parts do: killed, one after the other, and ./run itself. Each comes back, and nothing is in the way.
import assert from 'node:assert/strict';
import { spawn, spawnSync } from 'node:child_process';
import fs from 'node:fs';
import net from 'node:net';
import path from 'node:path';
import { after, before, test } from 'node:test';
import { apiClient, root, startStack, until } from './stack.mjs';

let stack;
before(async () => {
  stack = await startStack({ name: 'processes', offset: 20, args: ['--no-people'] });
});
after(() => stack?.stop());

const pidOf = (part) => Number(fs.readFileSync(path.join(stack.home, `${part}.pid`), 'utf8'));
const databasePid = () => Number(fs.readFileSync(path.join(fs.realpathSync(path.join(stack.home, 'pg')), 'postmaster.pid'), 'utf8').split('\n')[0]);
const ready = async () => (await fetch(`${stack.url}/health/ready`).catch(() => null))?.status === 200;
const run = (...args) => spawnSync('./run', ['--no-people', '--port', String(stack.port), ...args], { cwd: root, env: { ...process.env, GERMINAL_HOME: stack.home }, encoding: 'utf8', timeout: 120_000 });

test('the web server, a worker, the stand-ins and the database are started again when they end', async () => {
  for (const part of ['web', 'worker-1', 'stand-ins']) {
    const pid = pidOf(part);
    process.kill(pid, 'SIGKILL');
    await until(`${part} to be started again`, () => pidOf(part) !== pid && fs.existsSync(`/proc/${pidOf(part)}`));
  }
  await until('the application to be ready', ready);
  const database = databasePid();
  process.kill(database, 'SIGKILL');
  await until('the database to be started again', async () => fs.existsSync(`/proc/${database}`) === false && (await ready()) && databasePid() !== database);
  const ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  const { id } = await ada.post('/api/people', { firstName: 'Ida' });
  assert.equal((await ada.get(`/api/people/${id}`)).name, 'Ida');
});

test('files that hold people’s data are for the owner only', () => {
  const open = fs
    .readdirSync(stack.home, { recursive: true, withFileTypes: true })
    .filter((f) => f.isFile() && !f.parentPath.includes(`${path.sep}pg`))
    .map((f) => path.join(f.parentPath, f.name))
    .filter((f) => fs.statSync(f).mode & 0o077);
  assert.deepEqual(open, []);
});

test('a second start says that it runs already; killed with -9, a new start ends what was left behind', async () => {
  assert.match(run().stderr, /it is running already/);
  const parts = ['web', 'worker-1', 'stand-ins'].map(pidOf);
  process.kill(Number(fs.readFileSync(path.join(stack.home, 'processes'), 'utf8').split(' ')[0]), 'SIGKILL');
  await stack.restart();
  await until('the application to be ready', ready);
  for (const pid of parts) assert.equal(fs.existsSync(`/proc/${pid}`), false, `process ${pid} is still there`);
});

test('a taken port says whose it is, and a damaged key says what to do', async () => {
  const other = `${stack.home}-other`;
  fs.mkdirSync(other, { recursive: true, mode: 0o755 });
  const holder = spawn(process.execPath, ['-e', `require('net').createServer().listen(${stack.port + 40}, '127.0.0.1')`], { stdio: 'ignore' });
  try {
    const taken = () => new Promise((resolve) => net.connect(stack.port + 40, '127.0.0.1').on('connect', () => resolve(true)).on('error', () => resolve(false)));
    await until('the port to be taken', taken);
    const said = spawnSync('./run', ['--no-people', '--port', String(stack.port + 40)], { cwd: root, env: { ...process.env, GERMINAL_HOME: other }, encoding: 'utf8' });
    assert.match(said.stderr, new RegExp(`port ${stack.port + 40} is taken by .*process ${holder.pid}`));
    assert.equal(said.status, 1);
  } finally {
    holder.kill('SIGKILL');
    fs.rmSync(other, { recursive: true, force: true });
  }

  const key = path.join(stack.home, 'link-key');
  const whole = fs.readFileSync(key);
  await assert.rejects(stack.restart(() => fs.writeFileSync(key, '')), /key file .* is empty or damaged\. Put it back from your backup/);
  fs.writeFileSync(key, whole);
  await stack.restart();
  assert.ok(await ready());
});
