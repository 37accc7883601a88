import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useNow, useSession } from '../../app/session';
import { Button, Dial, Field, fieldError, Trouble } from '../../ui/bits';
import { useKept } from '../../ui/kept';
import { Letter } from '../../ui/Letter';
import { said } from '../../ui/undo';
import { moment } from '../../ui/when';
import { actOn, doAct } from '../people/acts';
import { ways } from './waits';

type Line = Schemas['InquiryLine'];

/** What is open in the margin to be written or chosen. */
export type Part = 'write' | 'call' | 'give' | 'opportunity' | 'program';

const parts: [Part, string, string][] = [
  ['write', 'w', 'write'],
  ['call', 'c', 'I called'],
  ['give', 'v', 'give to'],
  ['opportunity', 'o', 'open an opportunity'],
  ['program', 'p', 'start a program'],
];

/** Everything known of who asks, and what to do about it. */
export function InquiryMargin({
  line,
  part,
  setPart,
  end,
}: {
  line: Line;
  part: Part | undefined;
  setPart: (part: Part | undefined) => void;
  end: (how: 'answered' | 'nothing') => void;
}) {
  const { now, zone } = useNow();
  const one = useQuery({
    queryKey: ['inquiry', line.id],
    queryFn: () => take(api.GET('/api/inquiries/{id}', { params: { path: { id: line.id } } })),
  });
  const close = () => setPart(undefined);
  const i = one.data;
  return (
    <>
      <p className="m-0 font-serif text-head">
        <Link className="text-ink" to={`/people/${line.person.id}`}>
          {line.person.name}
        </Link>
      </p>
      <p className="mt-0.5 text-small text-soft">
        {line.whatTheyAre}
        {line.whatTheyAre && ' · '}asked {ways[line.how] ?? line.how}, {moment(line.receivedAt, zone, now)}
        {i?.came ? `, led here ${i.came}` : ''}
      </p>
      <p className="text-small">
        {line.ownerName ? `${line.ownerName} has it` : 'Nobody has it'}
        {line.givenWhy ? `: ${line.givenWhy}` : ''}.
      </p>
      <ul className="m-0 mb-3 list-none p-0 text-small">
        {line.mobile && (
          <li>
            <Dial number={line.mobile} />
          </li>
        )}
        {line.email && <li>{line.email}</li>}
      </ul>
      <Trouble error={one.error} />
      <ul className="m-0 mb-3 flex list-none flex-wrap gap-x-4 gap-y-1 p-0">
        {parts.map(([key, letter, words]) => (
          <li key={key}>
            <Button onClick={() => setPart(part === key ? undefined : key)} aria-expanded={part === key} title={`key ${letter}`}>
              {words}
            </Button>
          </li>
        ))}
        <li>
          <Button onClick={() => end('answered')} title="key a">
            mark as answered
          </Button>
        </li>
        <li>
          <Button look="plain" onClick={() => end('nothing')} title="key x">
            it is nothing
          </Button>
        </li>
      </ul>
      {part === 'write' && i && <Write inquiry={i} close={close} />}
      {part === 'call' && <Called line={line} close={close} />}
      {part === 'give' && <Give line={line} close={close} />}
      {part === 'opportunity' && <OpenOpportunity line={line} close={close} />}
      {part === 'program' && <StartProgram line={line} close={close} />}
      {i && (i.answers.length > 0 || i.files.length > 0) && (
        <>
          <h3>What they sent</h3>
          <dl className="kv">
            {i.answers.map((a) => (
              <div key={a.question} className="contents">
                <dt>{a.ask}</dt>
                <dd className="whitespace-pre-line">{a.value.replaceAll(';', ', ')}</dd>
              </div>
            ))}
          </dl>
          {i.files.map((f) => (
            <p key={f.id} className="m-0 text-small">
              <a href={`/api/inquiries/${line.id}/files/${f.id}`} download={f.name}>
                {f.name}
              </a>{' '}
              <span className="text-soft">{Math.ceil(f.bytes / 1024)} kB</span>
            </p>
          ))}
        </>
      )}
      {i && i.answers.length === 0 && i.text !== line.text && <p className="font-serif whitespace-pre-line">{i.text}</p>}
      {i?.mails.map((m) => (
        <details key={m.id} className="mt-2 text-small">
          <summary className="cursor-pointer">
            {m.kind === 'by-itself' ? 'Answered by itself' : 'Written'}: {m.subject}{' '}
            <span className="text-soft">{mailStatus[m.status] ?? m.status}</span>
          </summary>
          <p className="mt-1 font-serif whitespace-pre-line">{m.text}</p>
          {m.lastAnswer && m.status !== 'sent' && <p className="text-ember">{m.lastAnswer}</p>}
        </details>
      ))}
      <Before person={line.person.id} />
    </>
  );
}

const mailStatus: Record<string, string> = {
  waiting: 'on its way',
  handing: 'on its way',
  sent: 'sent',
  refused: 'did not reach them',
  uncertain: 'may not have reached them',
};

/** What was between them and the practice before, the latest first. */
function Before({ person }: { person: string }) {
  const { now, zone } = useNow();
  const thread = useQuery({
    queryKey: ['thread', person, 'short'],
    queryFn: () => take(api.GET('/api/people/{id}/thread', { params: { path: { id: person } } })),
  });
  const past = thread.data?.past.slice(0, 6) ?? [];
  if (past.length === 0) return null;
  return (
    <>
      <h3 className="mt-4">Before</h3>
      <ul className="m-0 list-none p-0 text-small">
        {past.map((l) => (
          <li key={l.id} className="border-t border-dotted border-rule py-1">
            <span className="text-soft">{moment(l.at, zone, now)}</span> {l.title}
          </li>
        ))}
      </ul>
    </>
  );
}

/** Sends what the margin's form says, and asks for the page anew. */
function useAct<T>(
  line: { id: string; person: { id: string; name: string } },
  close: () => void,
  act: (value: T) => Promise<unknown>,
  done: string,
) {
  const queries = useQueryClient();
  return useMutation({
    meta: { says: () => `${line.person.name}: ${done}` },
    mutationFn: act,
    onSuccess: () => {
      for (const key of ['inquiries', 'inquiry', 'thread', 'dealings', 'today']) queries.invalidateQueries({ queryKey: [key] });
      close();
      said(`${line.person.name}: ${done}.`);
    },
  });
}

function ActForm({
  send,
  children,
  words,
  busy,
  able = true,
}: {
  send: () => void;
  children: ReactNode;
  words: string;
  busy: boolean;
  able?: boolean;
}) {
  return (
    <form
      className="mb-4"
      onSubmit={(e) => {
        e.preventDefault();
        if (able) send();
      }}
    >
      {children}
      <Button type="submit" look="main" className="mt-2" disabled={busy || !able}>
        {words}
      </Button>
    </form>
  );
}

/** An answer by mail from here: own words, or a letter filled in for them. It goes into the thread of their mail. */
function Write({ inquiry, close }: { inquiry: Schemas['OneInquiryDto']; close: () => void }) {
  const { line } = inquiry;
  const [words, setWords, forget] = useKept(`inquiry.${line.id}.words`, '');
  const [subject, setSubject] = useState('');
  const [letter, setLetter] = useState('');
  const letters = useQuery({ queryKey: ['letters'], queryFn: () => take(api.GET('/api/letters')) });
  const body = { letter: letter || null, subject, words };
  const ready = useQuery({
    queryKey: ['inquiry', line.id, 'ready', letter],
    enabled: letter !== '',
    retry: false,
    queryFn: () => take(api.POST('/api/inquiries/{id}/ready', { params: { path: { id: line.id } }, body })),
  });
  const answer = useAct(
    line,
    close,
    async () => {
      await take(api.POST('/api/inquiries/{id}/answer', { params: { path: { id: line.id } }, body }));
      forget();
    },
    'the answer is on its way',
  );
  if (inquiry.mayNotWrite) return <p className="text-ember">{inquiry.mayNotWrite}</p>;
  const able = letter ? ready.isSuccess : words.trim().length > 0;
  return (
    <ActForm send={() => answer.mutate(undefined)} words="Send" busy={answer.isPending} able={able}>
      <Field label="With" error={fieldError(ready.error, 'letter') ?? fieldError(answer.error, 'letter')}>
        {(id, by) => (
          <select id={id} aria-describedby={by} className="w-full" value={letter} onChange={(e) => setLetter(e.target.value)}>
            <option value="">my own words</option>
            {letters.data?.map((l) => (
              <option key={l.id} value={l.id}>
                the letter “{l.name}”
              </option>
            ))}
          </select>
        )}
      </Field>
      {letter === '' ? (
        <>
          <Field label="Subject">
            {(id) => (
              <input
                id={id}
                className="w-full"
                placeholder={inquiry.subject ? `Re: ${inquiry.subject}` : `Re: ${line.form ?? 'your question'}`}
                value={subject}
                onChange={(e) => setSubject(e.target.value)}
              />
            )}
          </Field>
          <Field label={`To ${line.email}`} error={fieldError(answer.error, 'words')}>
            {(id, by) => (
              <textarea
                id={id}
                aria-describedby={by}
                autoFocus
                rows={8}
                className="w-full font-serif"
                value={words}
                onChange={(e) => setWords(e.target.value)}
              />
            )}
          </Field>
        </>
      ) : (
        ready.data && (
          <>
            <p className="mb-1 font-semibold">{ready.data.subject}</p>
            <Letter html={ready.data.html} title={`“${ready.data.subject}” for ${line.person.name}`} />
          </>
        )
      )}
      {!fieldError(answer.error, 'words') && !fieldError(answer.error, 'letter') && <Trouble error={answer.error} />}
    </ActForm>
  );
}

/** That they were called, and what was said. Not reached, they wait on. */
function Called({ line, close }: { line: Line; close: () => void }) {
  const [reached, setReached] = useState(true);
  const [remark, setRemark] = useKept(`inquiry.${line.id}.call`, '');
  const call = useAct(
    line,
    close,
    async () => {
      await take(api.POST('/api/inquiries/{id}/called', { params: { path: { id: line.id } }, body: { reached, remark } }));
      setRemark('');
    },
    reached ? 'the call is noted, the inquiry answered' : 'the call is noted, they wait on',
  );
  return (
    <ActForm send={() => call.mutate(undefined)} words="Note it" busy={call.isPending}>
      <fieldset className="border-0 p-0">
        <legend className="sr-only">Were they reached</legend>
        {[true, false].map((r) => (
          <label key={String(r)} className="mr-4">
            <input type="radio" name="reached" checked={reached === r} onChange={() => setReached(r)} />{' '}
            {r ? 'spoke, or left word' : 'not reached'}
          </label>
        ))}
      </fieldset>
      <Field label="What was said">
        {(id) => (
          <textarea id={id} autoFocus rows={3} className="w-full font-serif" value={remark} onChange={(e) => setRemark(e.target.value)} />
        )}
      </Field>
      <Trouble error={call.error} />
    </ActForm>
  );
}

function Give({ line, close }: { line: Line; close: () => void }) {
  const members = useSession().data?.members ?? [];
  const [member, setMember] = useState('');
  const give = useAct(
    line,
    close,
    () => take(api.POST('/api/inquiries/{id}/give', { params: { path: { id: line.id } }, body: { member } })),
    'it is in other hands, and they are told',
  );
  return (
    <ActForm send={() => give.mutate(undefined)} words="Give" busy={give.isPending} able={member !== ''}>
      <Field label="Who is to have it" error={fieldError(give.error, 'member')}>
        {(id, by) => (
          <select id={id} aria-describedby={by} autoFocus className="w-full" value={member} onChange={(e) => setMember(e.target.value)}>
            <option value="" disabled>
              choose
            </option>
            {members
              .filter((m) => m.id !== line.owner)
              .map((m) => (
                <option key={m.id} value={m.id}>
                  {m.name}
                </option>
              ))}
          </select>
        )}
      </Field>
      {!fieldError(give.error, 'member') && <Trouble error={give.error} />}
    </ActForm>
  );
}

/** Marks that a member is at it, so that it goes to no deputy. */
const touched = (id: string) => take(api.POST('/api/inquiries/{id}/touched', { params: { path: { id } } }));

function OpenOpportunity({ line, close }: { line: Line; close: () => void }) {
  const stages = useSession().data?.stages ?? [];
  const [title, setTitle] = useState('');
  const [stage, setStage] = useState('');
  const open = useAct(
    line,
    close,
    async () => {
      await take(
        api.POST('/api/people/{id}/opportunities', {
          params: { path: { id: line.person.id } },
          body: { title, stage: stage || (stages[0] ?? '') },
        }),
      );
      await touched(line.id);
    },
    'the opportunity is open',
  );
  return (
    <ActForm send={() => open.mutate(undefined)} words="Open it" busy={open.isPending} able={title.trim() !== ''}>
      <Field label="What it is about" error={fieldError(open.error, 'title')}>
        {(id, by) => (
          <input id={id} aria-describedby={by} autoFocus className="w-full" value={title} onChange={(e) => setTitle(e.target.value)} />
        )}
      </Field>
      <Field label="Its stage">
        {(id) => (
          <select id={id} className="w-full" value={stage} onChange={(e) => setStage(e.target.value)}>
            {stages.map((s) => (
              <option key={s} value={s}>
                {s.replace('/', ': ')}
              </option>
            ))}
          </select>
        )}
      </Field>
      {!fieldError(open.error, 'title') && <Trouble error={open.error} />}
    </ActForm>
  );
}

function StartProgram({ line, close }: { line: Line; close: () => void }) {
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });
  const on = programs.data?.filter((p) => p.status === 'on') ?? [];
  const [program, setProgram] = useState('');
  const start = useAct(
    line,
    close,
    async () => {
      await doAct('start', actOn({ ids: [line.person.id], matching: null }, 'start', program));
      await touched(line.id);
    },
    'the program starts',
  );
  return (
    <ActForm send={() => start.mutate(undefined)} words="Start it" busy={start.isPending} able={program !== ''}>
      <Field label="Which program">
        {(id) => (
          <select id={id} autoFocus className="w-full" value={program} onChange={(e) => setProgram(e.target.value)}>
            <option value="" disabled>
              choose
            </option>
            {on.map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Trouble error={start.error} />
    </ActForm>
  );
}
