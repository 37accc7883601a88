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
import { phrase } from '../../words/phrase';
import { actOn, doAct } from '../people/acts';
import { ways } from './waits';

type Line = Schemas['InquiryLine'];

/** What is open in the margin to be written or chosen. */
export type Part = 'write' | 'call' | 'give' | 'opportunity' | 'program';

const parts: [Part, string, string][] = [
  ['write', 'w', 'write'],
  ['call', 'c', phrase('I called')],
  ['give', 'v', phrase('give to')],
  ['opportunity', 'o', phrase('open an opportunity')],
  ['program', 'p', phrase('start a program')],
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
        {phrase('{whatTheyAre}{whatTheyAre2}asked {ways}, {receivedAt}{came}', {
          whatTheyAre: line.whatTheyAre,
          whatTheyAre2: line.whatTheyAre && ' · ',
          ways: ways[line.how] ?? line.how,
          receivedAt: moment(line.receivedAt, zone, now),
          came: i?.came ? phrase(', led here {came}', { came: i.came }) : '',
        })}
      </p>
      <p className="text-small">
        {line.ownerName ? phrase('{ownerName} has it', { ownerName: line.ownerName }) : phrase('Nobody has it')}
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
            <Button
              onClick={() => setPart(part === key ? undefined : key)}
              aria-expanded={part === key}
              title={phrase('key {letter}', { letter })}
            >
              {words}
            </Button>
          </li>
        ))}
        <li>
          <Button onClick={() => end('answered')} title={phrase('key a')}>
            {phrase('mark as answered')}
          </Button>
        </li>
        <li>
          <Button look="plain" onClick={() => end('nothing')} title={phrase('key x')}>
            {phrase('it is nothing')}
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
          <h3>{phrase('What they sent')}</h3>
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
              <span className="text-soft">{phrase('{ceil} kB', { ceil: Math.ceil(f.bytes / 1024) })}</span>
            </p>
          ))}
        </>
      )}
      {i && i.answers.length === 0 && i.text !== line.text && <p className="font-serif whitespace-pre-line">{i.text}</p>}
      {i?.mails.map((m) => (
        <details key={m.id} className="mt-2 text-small">
          <summary className="cursor-pointer">
            {m.kind === 'by-itself' ? phrase('Answered by itself') : phrase('Written')}: {m.subject}{' '}
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
  waiting: phrase('on its way'),
  handing: phrase('on its way'),
  sent: phrase('sent'),
  refused: phrase('did not reach them'),
  uncertain: phrase('may not have reached them'),
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
      <h3 className="mt-4">{phrase('Before')}</h3>
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
    phrase('the answer is on its way'),
  );
  if (inquiry.mayNotWrite) return <p className="text-ember">{inquiry.mayNotWrite}</p>;
  const able = letter ? ready.isSuccess : words.trim().length > 0;
  return (
    <ActForm send={() => answer.mutate(undefined)} words={phrase('Send')} busy={answer.isPending} able={able}>
      <Field label={phrase('With')} error={fieldError(ready.error, 'letter') ?? fieldError(answer.error, 'letter')}>
        {(id, by) => (
          <select id={id} aria-describedby={by} className="w-full" value={letter} onChange={(e) => setLetter(e.target.value)}>
            <option value="">{phrase('my own words')}</option>
            {letters.data?.map((l) => (
              <option key={l.id} value={l.id}>
                {phrase('the letter “{name}”', { name: l.name })}
              </option>
            ))}
          </select>
        )}
      </Field>
      {letter === '' ? (
        <>
          <Field label={phrase('Subject')}>
            {(id) => (
              <input
                id={id}
                className="w-full"
                placeholder={
                  inquiry.subject
                    ? phrase('Re: {subject}', { subject: inquiry.subject })
                    : phrase('Re: {form}', { form: line.form ?? phrase('your question') })
                }
                value={subject}
                onChange={(e) => setSubject(e.target.value)}
              />
            )}
          </Field>
          <Field label={phrase('To {email}', { email: line.email })} error={fieldError(answer.error, 'words')}>
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
            <Letter
              html={ready.data.html}
              title={phrase('“{subject}” for {person}', { subject: ready.data.subject, person: line.person.name })}
            />
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
    reached ? phrase('the call is noted, the inquiry answered') : phrase('the call is noted, they wait on'),
  );
  return (
    <ActForm send={() => call.mutate(undefined)} words={phrase('Note it')} busy={call.isPending}>
      <fieldset className="border-0 p-0">
        <legend className="sr-only">{phrase('Were they reached')}</legend>
        {[true, false].map((r) => (
          <label key={String(r)} className="mr-4">
            <input type="radio" name="reached" checked={reached === r} onChange={() => setReached(r)} />{' '}
            {r ? phrase('spoke, or left word') : phrase('not reached')}
          </label>
        ))}
      </fieldset>
      <Field label={phrase('What was said')}>
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
    phrase('it is in other hands, and they are told'),
  );
  return (
    <ActForm send={() => give.mutate(undefined)} words={phrase('Give')} busy={give.isPending} able={member !== ''}>
      <Field label={phrase('Who is to have it')} error={fieldError(give.error, 'member')}>
        {(id, by) => (
          <select id={id} aria-describedby={by} autoFocus className="w-full" value={member} onChange={(e) => setMember(e.target.value)}>
            <option value="" disabled>
              {phrase('choose')}
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
    phrase('the opportunity is open'),
  );
  return (
    <ActForm send={() => open.mutate(undefined)} words={phrase('Open it')} busy={open.isPending} able={title.trim() !== ''}>
      <Field label={phrase('What it is about')} error={fieldError(open.error, 'title')}>
        {(id, by) => (
          <input id={id} aria-describedby={by} autoFocus className="w-full" value={title} onChange={(e) => setTitle(e.target.value)} />
        )}
      </Field>
      <Field label={phrase('Its stage')}>
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
    phrase('the program starts'),
  );
  return (
    <ActForm send={() => start.mutate(undefined)} words={phrase('Start it')} busy={start.isPending} able={program !== ''}>
      <Field label={phrase('Which program')}>
        {(id) => (
          <select id={id} autoFocus className="w-full" value={program} onChange={(e) => setProgram(e.target.value)}>
            <option value="" disabled>
              {phrase('choose')}
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
