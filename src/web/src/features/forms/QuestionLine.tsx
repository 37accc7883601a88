import { useQuery } from '@tanstack/react-query';
import type { Schemas } from '../../api/client';
import { api, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Field } from '../../ui/bits';
import { OneOf } from '../../ui/OneOf';
import { listed, phrase, quoted } from '../../words/phrase';
import { Say, SayOneOf } from '../programs/Say';
import { chooses, type FormFile, type Kind, kinds, places, type Question } from './formFile';

/** A question as it is written: its words, and what is to be known of it as a sentence below them. */
export function QuestionLine({
  question: q,
  form,
  number,
  on,
  findings,
  pick,
  set,
  setForm,
  move,
  remove,
}: {
  question: Question;
  form: FormFile;
  number: number;
  on: boolean;
  findings: Schemas['FindingDto'][];
  pick: () => void;
  set: (part: Partial<Question>) => void;
  setForm: (part: Partial<FormFile>) => void;
  move: (by: -1 | 1) => void;
  remove: () => void;
}) {
  const kind: Kind = q.kind ?? 'text';
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the keys work from the fields within it
    <div
      id={`question-${q.id}`}
      className={`row flex items-baseline gap-4 ${on ? 'on' : ''}`}
      onFocus={pick}
      onKeyDown={(e) => {
        if (e.altKey && (e.key === 'ArrowUp' || e.key === 'ArrowDown')) {
          e.preventDefault();
          move(e.key === 'ArrowUp' ? -1 : 1);
        }
      }}
    >
      <span className="gutter">{number}</span>
      <div className="min-w-0 flex-1">
        <input
          aria-label={phrase('Question {number, number}', { number })}
          className="min-h-7 w-full !border-0 !bg-transparent !p-0 font-serif"
          value={q.ask}
          onChange={(e) => set({ ask: e.target.value })}
        />
        <p className="m-0 text-small text-soft">
          <SayOneOf
            words={kinds[kind]}
            label={phrase('Kind of question {number, number}', { number })}
            soft
            choices={Object.entries(kinds) as [Kind, string][]}
            now={kind}
            choose={(next) =>
              set({
                kind: next,
                options: chooses(next) ? (q.options ?? [phrase('One'), phrase('Another')]) : undefined,
                consent: next === 'consent' ? (q.consent ?? { channel: 'email' }) : undefined,
                required: next === 'consent' ? undefined : q.required,
                into: next === 'consent' || next === 'file' ? undefined : q.into,
              })
            }
          />
          {chooses(kind) && (
            <>
              {': '}
              <Options question={q} number={number} set={set} />
            </>
          )}
          {kind === 'hidden' ? (
            <>
              {', '}
              <Value question={q} number={number} set={set} />
            </>
          ) : kind === 'consent' ? (
            <>
              {', '}
              <Consent question={q} number={number} set={set} />
            </>
          ) : (
            <>
              {', '}
              <SayOneOf<boolean>
                words={q.required ? phrase('has to be answered') : phrase('may stay empty')}
                label={phrase('Whether question {number, number} has to be answered', { number })}
                soft
                choices={[
                  [true, phrase('has to be answered')],
                  [false, phrase('may stay empty')],
                ]}
                now={q.required ?? false}
                choose={(required) => set({ required: required || undefined })}
              />
            </>
          )}
          {kind !== 'consent' && kind !== 'file' && (
            <>
              {', '}
              <Into question={q} number={number} set={set} />
            </>
          )}
          {kind !== 'hidden' && (
            <>
              {', '}
              <Only question={q} form={form} number={number} set={set} />
              {', '}
              <Help question={q} number={number} set={set} />
            </>
          )}
          .
        </p>
        {findings.map((f) => (
          <p key={f.pointer + f.message} className="m-0 text-small text-ember">
            {f.message}
          </p>
        ))}
      </div>
      {on && (
        <span className="flex gap-3 text-small">
          <Button
            look="plain"
            onClick={() => move(-1)}
            className="min-h-6 min-w-6"
            aria-label={phrase('Move question {number, number} up', { number })}
            title={phrase('Alt ↑')}
          >
            ↑
          </Button>
          <Button
            look="plain"
            onClick={() => move(1)}
            className="min-h-6 min-w-6"
            aria-label={phrase('Move question {number, number} down', { number })}
            title={phrase('Alt ↓')}
          >
            ↓
          </Button>
          <Button look="plain" onClick={remove} aria-label={phrase('Take question {number, number} out', { number })}>
            {phrase('take out')}
          </Button>
        </span>
      )}
      {/* Which questions make it an inquiry is said above; one that is taken out there is known here. */}
      {form.inquiryWhen?.includes(q.id) && (
        <Button
          look="plain"
          className="text-small"
          title={phrase('An answer to it makes an inquiry')}
          onClick={() => setForm({ inquiryWhen: form.inquiryWhen?.filter((w) => w !== q.id) })}
        >
          {phrase('makes an inquiry')}
        </Button>
      )}
    </div>
  );
}

type PartProps = { question: Question; number: number; set: (part: Partial<Question>) => void };

function Options({ question: q, number, set }: PartProps) {
  const options = q.options ?? [];
  return (
    <Say
      words={options.length > 0 ? options.map((o) => quoted(o)).join(', ') : phrase('nothing to choose from yet')}
      label={phrase('What question {number, number} offers', { number })}
    >
      {() => (
        <Field label={phrase('What can be chosen, a line each')}>
          {(id) => (
            <textarea
              id={id}
              autoFocus
              rows={6}
              className="w-full"
              value={options.join('\n')}
              onChange={(e) => set({ options: e.target.value.split('\n') })}
              onBlur={() => set({ options: options.map((o) => o.trim()).filter(Boolean) })}
            />
          )}
        </Field>
      )}
    </Say>
  );
}

function Value({ question: q, number, set }: PartProps) {
  return (
    <Say
      words={
        q.value ? phrase('“{value}” where the address brings none', { value: q.value }) : phrase('nothing where the address brings none')
      }
      label={phrase('The value of question {number, number}', { number })}
    >
      {() => (
        <Field label={phrase('Its value; ?{id}=… in the address brings another', { id: q.id })}>
          {(id) => (
            <input
              id={id}
              autoFocus
              className="w-full"
              value={q.value ?? ''}
              onChange={(e) => set({ value: e.target.value || undefined })}
            />
          )}
        </Field>
      )}
    </Say>
  );
}

/** The channel and the topic of a consent; its exact words are the question's own. */
function Consent({ question: q, number, set }: PartProps) {
  const practice = useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')) });
  const consent = q.consent ?? { channel: 'email' as const };
  const channels = [
    ['email', phrase('by email')],
    ['text', phrase('by text')],
    ['call', phrase('by telephone')],
    ['post', phrase('by post')],
  ] as const;
  return (
    <>
      <SayOneOf
        words={channels.find(([c]) => c === consent.channel)?.[1] ?? phrase('by email')}
        label={phrase('The channel of question {number, number}', { number })}
        choices={channels}
        now={consent.channel ?? 'email'}
        choose={(channel) => set({ consent: { ...consent, channel } })}
      />{' '}
      <SayOneOf<string | undefined>
        words={consent.topic ? phrase('about “{topic}”', { topic: consent.topic }) : phrase('about everything')}
        label={phrase('The topic of question {number, number}', { number })}
        choices={[[undefined, phrase('about everything')], ...(practice.data?.topics ?? []).map((t) => [t, t] as const)]}
        now={consent.topic}
        choose={(topic) => set({ consent: { ...consent, topic } })}
      />
      {phrase('; its words go into the ledger as they stand')}
    </>
  );
}

/** Where the answer goes at the person. */
function Into({ question: q, number, set }: PartProps) {
  const session = useSession().data;
  const choices = [
    ...Object.entries(places),
    ...(session?.ownFields ?? []).map((f) => [`custom:${f.key}`, f.name] as [string, string]),
    ...(session?.keyDates ?? []).map((d) => [`date:${d}`, d] as [string, string]),
  ];
  return (
    <SayOneOf<string | undefined>
      words={
        q.into
          ? phrase('goes into {find}', { find: choices.find(([c]) => c === q.into)?.[1] ?? q.into })
          : phrase('stays with what was sent')
      }
      label={phrase('Where question {number, number} goes', { number })}
      soft={!q.into}
      choices={[[undefined, phrase('stays with what was sent')], ...choices]}
      now={q.into}
      choose={(into) => set({ into })}
    />
  );
}

/** When it is asked: always, or only if an earlier one was answered so. */
function Only({ question: q, form, number, set }: PartProps & { form: FormFile }) {
  const before = form.questions
    .slice(
      0,
      form.questions.findIndex((x) => x.id === q.id),
    )
    .filter((x) => x.kind !== 'hidden' && x.kind !== 'file');
  const other = before.find((x) => x.id === q.shownIf?.question);
  const answers = q.shownIf?.answers ?? [];
  const offered = other?.kind === 'yes-no' ? ['yes', 'no'] : other?.kind === 'consent' ? ['yes'] : (other?.options ?? []);
  const words = !q.shownIf
    ? phrase('asked always')
    : phrase('asked only if “{ask}” is {answers}', {
        ask: other?.ask ?? q.shownIf.question,
        answers:
          answers.length > 0
            ? listed(
                answers.map((a) => quoted(a)),
                'disjunction',
              )
            : phrase('answered'),
      });
  return (
    <Say words={words} label={phrase('When question {number, number} is asked', { number })} soft={!q.shownIf}>
      {() => (
        <>
          <OneOf<string | undefined>
            choices={[
              [undefined, phrase('asked always')],
              ...before.map((x) => [x.id, phrase('only if “{ask}” …', { ask: x.ask })] as const),
            ]}
            now={q.shownIf?.question}
            none={phrase('There is no question before it.')}
            choose={(question) => set({ shownIf: question ? { question, answers: [] } : undefined })}
          />
          {other && (
            <fieldset className="mt-2 border-0 p-0">
              <legend className="text-small">
                {phrase('is answered {offered, select, true {with any of these; none for any answer} other {}}', {
                  offered: String(offered.length > 0),
                })}
              </legend>
              {offered.map((o) => (
                <label key={o} className="mr-4 text-small">
                  <input
                    type="checkbox"
                    checked={answers.includes(o)}
                    onChange={(e) =>
                      set({ shownIf: { question: other.id, answers: e.target.checked ? [...answers, o] : answers.filter((a) => a !== o) } })
                    }
                  />{' '}
                  {o}
                </label>
              ))}
            </fieldset>
          )}
        </>
      )}
    </Say>
  );
}

function Help({ question: q, number, set }: PartProps) {
  return (
    <Say
      words={q.help ? phrase('with the help “{help}”', { help: q.help }) : phrase('without a word of help')}
      label={phrase('The help of question {number, number}', { number })}
      soft={!q.help}
    >
      {() => (
        <Field label={phrase('A word of help below it')}>
          {(id) => (
            <input id={id} autoFocus className="w-full" value={q.help ?? ''} onChange={(e) => set({ help: e.target.value || undefined })} />
          )}
        </Field>
      )}
    </Say>
  );
}
