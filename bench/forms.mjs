// A form under load: submissions at a steady pace, each a person, a consent and an inquiry. Prints how long answers took.
//   node bench/forms.mjs [a second=200] [seconds=60]        (needs ./run to have built once; starts a stack of its own)
import { Agent, request } from 'node:http';
import { apiClient, startStack } from '../tests/browser/stack.mjs';

const pace = Number(process.argv[2] ?? 200);
const seconds = Number(process.argv[3] ?? 60);
process.env.GERMINAL_PORT ??= '26080';
const stack = await startStack({ name: 'bench-forms', env: { GERMINAL_FORMS_OF_FORM: '1000000', GERMINAL_FORMS_OF_CLIENT: '1000000' } });
const agent = new Agent({ keepAlive: true, maxSockets: 256 });

/** One call; gives the status, the page and how long it took. */
const call = (method, path, body) =>
  new Promise((done, failed) => {
    const began = performance.now();
    const headers = body ? { 'content-type': 'application/x-www-form-urlencoded', 'content-length': Buffer.byteLength(body) } : {};
    const asked = request(stack.url + path, { method, agent, headers }, (answer) => {
      const parts = [];
      answer.on('data', (p) => parts.push(p));
      answer.on('end', () => done({ status: answer.statusCode, page: Buffer.concat(parts).toString(), took: performance.now() - began }));
    });
    asked.on('error', failed);
    asked.end(body);
  });

try {
  const ada = await apiClient(stack.url, 'ada@example.com', stack.password);
  const made = await ada.post('/api/forms', { name: 'Under load' });
  const questions = [
    { id: 'name', kind: 'text', ask: 'Name', required: true, into: 'first-name' },
    { id: 'mail', kind: 'email', ask: 'Mail', required: true, into: 'email' },
    { id: 'yes', kind: 'consent', ask: 'Yes, write to me.', consent: { channel: 'email' } },
    { id: 'words', kind: 'long-text', ask: 'What?' },
  ];
  await ada.put(`/api/forms/${made.id}`, { edition: made.edition, draft: { format: 'germinal.form/1', name: 'Under load', questions, inquiryWhen: ['words'] } });
  const { slug } = await ada.post(`/api/forms/${made.id}/show`);

  // The pages first: nobody sends one in the moment it is shown. Some more of them are sent before it counts: a server that has only just started
  // works out what its machine is to do.
  const warm = 600;
  const tokens = [];
  while (tokens.length < warm + pace * seconds) {
    const pages = await Promise.all(Array.from({ length: 50 }, () => call('GET', `/form/${slug}`)));
    tokens.push(...pages.map((p) => /name="g\.token" value="([^"]+)"/.exec(p.page)[1]));
  }
  await new Promise((go) => setTimeout(go, 2_500));

  const bodyOf = (n) => new URLSearchParams({ 'g.token': tokens[n], name: `Load${n}`, mail: `load${n}@example.com`, yes: 'yes', words: `Question ${n}: how high are rates at number ${n * 7}?` }).toString();
  for (let n = 0; n < warm; n += 20) await Promise.all(Array.from({ length: 20 }, (_, i) => call('POST', `/form/${slug}`, bodyOf(pace * seconds + n + i))));

  const took = [];
  const ofTen = [];
  const said = new Map();
  const running = [];
  const began = performance.now();
  for (let n = 0; n < pace * seconds; n++) {
    const due = began + (1_000 * n) / pace;
    const wait = due - performance.now();
    if (wait > 1) await new Promise((go) => setTimeout(go, wait));
    const body = bodyOf(n);
    running.push(
      call('POST', `/form/${slug}`, body).then((answer) => {
        // From when it was due: a pace that is not kept is not made pretty.
        const ms = performance.now() - due;
        took.push(ms);
        (ofTen[Math.floor(n / pace / 10)] ??= []).push(ms);
        const word = answer.page.includes('It has reached us') ? 'taken' : `status ${answer.status}`;
        said.set(word, (said.get(word) ?? 0) + 1);
      }),
    );
  }
  await Promise.all(running);
  const over = (performance.now() - began) / 1_000;
  const at = (share, of = took) => of.sort((a, b) => a - b)[Math.min(of.length - 1, Math.floor(of.length * share))].toFixed(0);
  for (const [i, of] of ofTen.entries()) console.log(`from ${i * 10} s: median ${at(0.5, of)} ms, p95 ${at(0.95, of)} ms`);
  console.log(`${took.length} submissions in ${over.toFixed(1)} s, ${[...said].map(([w, n]) => `${w} ${n}`).join(', ')}; median ${at(0.5)} ms, p95 ${at(0.95)} ms, p99 ${at(0.99)} ms, worst ${at(1)} ms`);
} finally {
  agent.destroy();
  await stack.stop();
}
