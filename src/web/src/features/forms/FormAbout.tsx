import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, take } from '../../api/client';
import { useNow, useSession } from '../../app/session';
import { Button, Field } from '../../ui/bits';
import { OneOf } from '../../ui/OneOf';
import { date, moment } from '../../ui/when';
import { listed, phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { Say, SayOneOf } from '../programs/Say';
import { answering, type FormFile, ways } from './formFile';

type Props = { draft: FormFile; set: (part: Partial<FormFile>) => void };

/** What a form is and what comes of it, in sentences. */
export function FormAbout({ draft, set }: Props) {
  return (
    <>
      <Field label={phrase('Its title')}>
        {(id) => (
          <input
            id={id}
            className="w-full font-serif"
            placeholder={draft.name}
            value={draft.title ?? ''}
            onChange={(e) => set({ title: e.target.value || undefined })}
          />
        )}
      </Field>
      <Field label={phrase('What stands below it')}>
        {(id) => (
          <textarea
            id={id}
            rows={2}
            className="w-full font-serif"
            value={draft.words ?? ''}
            onChange={(e) => set({ words: e.target.value || undefined })}
          />
        )}
      </Field>
      <p className="mt-3">
        <Sentence
          m="It is {open}. {isInquiry} Of what is known already, {known}. {confirmed}"
          v={{
            open: <Open draft={draft} set={set} />,
            isInquiry: <IsInquiry draft={draft} set={set} />,
            known: <Known draft={draft} set={set} />,
            confirmed: <Confirmed draft={draft} set={set} />,
          }}
        />
      </p>
      <p>
        <Sentence
          m="Whoever sends it {tags}, {list}, and {program}.{inquiryWhen}"
          v={{
            tags: <Tags draft={draft} set={set} />,
            list: <List draft={draft} set={set} />,
            program: <Program draft={draft} set={set} />,
            inquiryWhen: (draft.inquiryWhen?.length ?? 0) > 0 && (
              <Sentence
                m=" An inquiry is {topic}, {opportunity}, and is answered by itself {answers}."
                v={{
                  topic: <Topic draft={draft} set={set} />,
                  opportunity: <Opportunity draft={draft} set={set} />,
                  answers: <Answers draft={draft} set={set} />,
                }}
              />
            ),
          }}
        />
      </p>
    </>
  );
}

/** From when to when, and up to how many (rule 17.4). */
function Open({ draft, set }: Props) {
  const { now, zone } = useNow();
  const parts = [
    draft.opens ? phrase('from {opens}', { opens: moment(draft.opens, zone, now) }) : '',
    draft.closes ? phrase('until {closes}', { closes: moment(draft.closes, zone, now) }) : '',
    draft.most
      ? phrase('for {most, number} at most{waitingList, select, true {, with a waiting list} other {}}', {
          most: draft.most,
          waitingList: String(Boolean(draft.waitingList)),
        })
      : '',
  ].filter(Boolean);
  const words = parts.length > 0 ? phrase('open {parts}', { parts: listed(parts) }) : phrase('always open');
  // Days are those of the practice's zone: a form opens at the beginning of its first, and closes at the end of its last.
  const dayOf = (at: string | undefined, back = 0) => (at ? date(new Date(Date.parse(at) - back).toISOString(), zone) : '');
  return (
    <Say words={words} label={phrase('When it takes anything')}>
      {() => (
        <>
          <Field label={phrase('From the beginning of')}>
            {(id) => (
              <input
                id={id}
                type="date"
                value={dayOf(draft.opens)}
                onChange={(e) => set({ opens: e.target.value ? startOf(e.target.value, zone) : undefined })}
              />
            )}
          </Field>
          <Field label={phrase('To the end of')}>
            {(id) => (
              <input
                id={id}
                type="date"
                value={dayOf(draft.closes, 1000)}
                onChange={(e) => set({ closes: e.target.value ? startOf(nextDay(e.target.value), zone) : undefined })}
              />
            )}
          </Field>
          <Field label={phrase('At most')}>
            {(id) => (
              <input
                id={id}
                inputMode="numeric"
                placeholder={phrase('any number')}
                value={draft.most ?? ''}
                onChange={(e) => {
                  const most = Number.parseInt(e.target.value, 10);
                  set({ most: Number.isFinite(most) && most > 0 ? most : undefined });
                }}
              />
            )}
          </Field>
          {draft.most && (
            <label className="text-small">
              <input type="checkbox" checked={draft.waitingList ?? false} onChange={(e) => set({ waitingList: e.target.checked })} />{' '}
              {phrase('whoever comes too late may wait for a place')}
            </label>
          )}
        </>
      )}
    </Say>
  );
}

function nextDay(day: string) {
  const next = new Date(`${day}T00:00:00Z`);
  next.setUTCDate(next.getUTCDate() + 1);
  return next.toISOString().slice(0, 10);
}

/** The moment a day begins in a zone. */
function startOf(day: string, zone: string) {
  const guess = Date.parse(`${day}T00:00:00Z`);
  const parts = new Intl.DateTimeFormat('en-US', {
    timeZone: zone,
    hour12: false,
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
  });
  const shiftAt = (at: number) => {
    const p = Object.fromEntries(parts.formatToParts(new Date(at)).map((x) => [x.type, x.value]));
    return Date.parse(`${p.year}-${p.month}-${p.day}T${p.hour === '24' ? '00' : p.hour}:${p.minute}:00Z`) - at;
  };
  const at = guess - shiftAt(guess);
  return new Date(guess - shiftAt(at)).toISOString().replace('.000Z', 'Z');
}

/** Which answers make it an inquiry rather than a sign-up (rule 17.1). */
function IsInquiry({ draft, set }: Props) {
  const when = draft.inquiryWhen ?? [];
  const names = when.map((id) => quoted(draft.questions.find((q) => q.id === id)?.ask ?? id));
  return (
    <Sentence
      m="What comes is {when}."
      v={{
        when: (
          <Say
            words={
              when.length > 0
                ? phrase('an inquiry where {names} {when, select, true {are} other {is}} answered, else a sign-up', {
                    names: listed(names),
                    when: String(when.length > 1),
                  })
                : phrase('a sign-up')
            }
            label={phrase('What comes')}
          >
            {() => (
              <fieldset className="border-0 p-0">
                <legend className="text-small">{phrase('An inquiry, where all of these are answered; with none it is a sign-up.')}</legend>
                {draft.questions
                  .filter((q) => q.kind !== 'consent')
                  .map((q) => (
                    <label key={q.id} className="block text-small">
                      <input
                        type="checkbox"
                        checked={when.includes(q.id)}
                        onChange={(e) => set({ inquiryWhen: e.target.checked ? [...when, q.id] : when.filter((w) => w !== q.id) })}
                      />{' '}
                      {q.ask}
                    </label>
                  ))}
              </fieldset>
            )}
          </Say>
        ),
      }}
    />
  );
}

function Known({ draft, set }: Props) {
  const now = draft.known ?? 'fill';
  return (
    <SayOneOf
      words={ways[now]}
      label={phrase('What becomes of what is known')}
      choices={Object.entries(ways) as [typeof now, string][]}
      now={now}
      choose={(known) => set({ known })}
    />
  );
}

/** Whether nothing exists until its sender has confirmed it (rule 17.3). */
function Confirmed({ draft, set }: Props) {
  return (
    <SayOneOf<boolean>
      words={draft.doubleOptIn ? phrase('Its sender is asked by email whether it was really them.') : phrase('It counts at once.')}
      label={phrase('Whether it is confirmed')}
      choices={[
        [false, phrase('It counts at once.')],
        [true, phrase('Its sender is asked by email whether it was really them; until they say yes, nothing but what they sent exists.')],
      ]}
      now={draft.doubleOptIn ?? false}
      choose={(doubleOptIn) => set({ doubleOptIn })}
    />
  );
}

function Tags({ draft, set }: Props) {
  const known = useSession().data?.tags ?? [];
  const [tag, setTag] = useState('');
  const tags = draft.tags ?? [];
  return (
    <Say
      words={tags.length > 0 ? phrase('gets the tag {tags}', { tags: listed(tags.map((t) => quoted(t))) }) : phrase('gets no tag')}
      label={phrase('Tags')}
      soft={tags.length === 0}
    >
      {() => (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            if (tag.trim() && !tags.includes(tag.trim())) set({ tags: [...tags, tag.trim()] });
            setTag('');
          }}
        >
          <ul className="m-0 list-none p-0 text-small">
            {tags.map((t) => (
              <li key={t}>
                {t}{' '}
                <Button look="plain" onClick={() => set({ tags: tags.filter((x) => x !== t) })}>
                  {phrase('take out')}
                </Button>
              </li>
            ))}
          </ul>
          <Field label={phrase('Another tag')}>
            {(id) => <input id={id} autoFocus value={tag} onChange={(e) => setTag(e.target.value)} />}
          </Field>
          <Button type="submit" look="main">
            {phrase('Add')}
          </Button>
          {known.length > 0 && (
            <OneOf
              choices={known.filter((t) => !tags.includes(t)).map((t) => [t, t] as const)}
              now=""
              choose={(t) => set({ tags: [...tags, t] })}
            />
          )}
        </form>
      )}
    </Say>
  );
}

/** One of what the practice has by name, or none. */
function ByName({
  label,
  now,
  words,
  none,
  choices,
  choose,
}: {
  label: string;
  now: string | undefined;
  words: string;
  none: string;
  choices: readonly (readonly [string, string])[];
  choose: (value: string | undefined) => void;
}) {
  return (
    <SayOneOf<string | undefined>
      words={words}
      label={label}
      soft={now === undefined}
      choices={[[undefined, none], ...choices, ...(now !== undefined && !choices.some(([v]) => v === now) ? [[now, now] as const] : [])]}
      now={now}
      choose={(value) => choose(value)}
    />
  );
}

function List({ draft, set }: Props) {
  const lists = useQuery({ queryKey: ['lists'], queryFn: () => take(api.GET('/api/lists')) });
  return (
    <ByName
      label={phrase('List')}
      now={draft.list}
      words={draft.list ? phrase('joins the list “{list}”', { list: draft.list }) : phrase('joins no list')}
      none={phrase('no list')}
      choices={(lists.data ?? []).map((l) => [l.name, l.name] as const)}
      choose={(list) => set({ list })}
    />
  );
}

function Program({ draft, set }: Props) {
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });
  return (
    <ByName
      label={phrase('Program')}
      now={draft.program}
      words={draft.program ? phrase('starts on “{program}”', { program: draft.program }) : phrase('starts on no program')}
      none={phrase('no program')}
      choices={(programs.data ?? []).filter((p) => p.status === 'on').map((p) => [p.name, p.name] as const)}
      choose={(program) => set({ program })}
    />
  );
}

function Topic({ draft, set }: Props) {
  const practice = useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')) });
  return (
    <ByName
      label={phrase('Topic')}
      now={draft.topic}
      words={draft.topic ? phrase('about “{topic}”', { topic: draft.topic }) : phrase('about nothing named')}
      none={phrase('about nothing named')}
      choices={(practice.data?.topics ?? []).map((t) => [t, t] as const)}
      choose={(topic) => set({ topic })}
    />
  );
}

function Opportunity({ draft, set }: Props) {
  const stages = useSession().data?.stages ?? [];
  return (
    <ByName
      label={phrase('Opportunity')}
      now={draft.opportunity}
      words={
        draft.opportunity
          ? phrase('opens an opportunity in “{opportunity}”', { opportunity: draft.opportunity.replace('/', ': ') })
          : phrase('opens no opportunity')
      }
      none={phrase('opens no opportunity')}
      choices={stages.map((s) => [s, s.replace('/', ': ')] as const)}
      choose={(opportunity) => set({ opportunity })}
    />
  );
}

/** When, and by which letter (rule 17.5). */
function Answers({ draft, set }: Props) {
  const letters = useQuery({ queryKey: ['letters'], queryFn: () => take(api.GET('/api/letters')) });
  const now = draft.answersItself ?? 'never';
  return (
    <>
      <SayOneOf
        words={answering[now]}
        label={phrase('When it is answered by itself')}
        soft={now === 'never'}
        choices={Object.entries(answering) as [typeof now, string][]}
        now={now}
        choose={(answersItself) => set({ answersItself })}
      />
      {now !== 'never' && (
        <Sentence
          m=" with {answerLetter}"
          v={{
            answerLetter: (
              <ByName
                label={phrase('Letter')}
                now={draft.answerLetter}
                words={
                  draft.answerLetter
                    ? phrase('the letter “{answerLetter}”', { answerLetter: draft.answerLetter })
                    : phrase('a letter to be chosen')
                }
                none={phrase('none')}
                choices={(letters.data ?? []).map((l) => [l.name, l.name] as const)}
                choose={(answerLetter) => set({ answerLetter })}
              />
            ),
          }}
        />
      )}
    </>
  );
}
