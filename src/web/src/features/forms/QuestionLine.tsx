import { useQuery } from '@tanstack/react-query';
import type { Schemas } from '../../api/client';
import { api, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Field } from '../../ui/bits';
import { OneOf } from '../../ui/OneOf';
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
          aria-label={`Question ${number}`}
          className="min-h-7 w-full !border-0 !bg-transparent !p-0 font-serif"
          value={q.ask}
          onChange={(e) => set({ ask: e.target.value })}
        />
        <p className="m-0 text-small text-soft">
          <SayOneOf
            words={kinds[kind]}
            label={`Kind of question ${number}`}
            soft
            choices={Object.entries(kinds) as [Kind, string][]}
            now={kind}
            choose={(next) =>
              set({
                kind: next,
                options: chooses(next) ? (q.options ?? ['One', 'Another']) : undefined,
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
                words={q.required ? 'has to be answered' : 'may stay empty'}
                label={`Whether question ${number} has to be answered`}
                soft
                choices={[
                  [true, 'has to be answered'],
                  [false, 'may stay empty'],
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
          <Button look="plain" onClick={() => move(-1)} className="min-h-6 min-w-6" aria-label={`Move question ${number} up`} title="Alt ↑">
            ↑
          </Button>
          <Button
            look="plain"
            onClick={() => move(1)}
            className="min-h-6 min-w-6"
            aria-label={`Move question ${number} down`}
            title="Alt ↓"
          >
            ↓
          </Button>
          <Button look="plain" onClick={remove} aria-label={`Take question ${number} out`}>
            take out
          </Button>
        </span>
      )}
      {/* Which questions make it an inquiry is said above; one that is taken out there is known here. */}
      {form.inquiryWhen?.includes(q.id) && (
        <Button
          look="plain"
          className="text-small"
          title="An answer to it makes an inquiry"
          onClick={() => setForm({ inquiryWhen: form.inquiryWhen?.filter((w) => w !== q.id) })}
        >
          makes an inquiry
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
      words={options.length > 0 ? options.map((o) => `“${o}”`).join(', ') : 'nothing to choose from yet'}
      label={`What question ${number} offers`}
    >
      {() => (
        <Field label="What can be chosen, a line each">
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
      words={q.value ? `“${q.value}” where the address brings none` : 'nothing where the address brings none'}
      label={`The value of question ${number}`}
    >
      {() => (
        <Field label={`Its value; ?${q.id}=… in the address brings another`}>
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
    ['email', 'by email'],
    ['text', 'by text'],
    ['call', 'by telephone'],
    ['post', 'by post'],
  ] as const;
  return (
    <>
      <SayOneOf
        words={channels.find(([c]) => c === consent.channel)?.[1] ?? 'by email'}
        label={`The channel of question ${number}`}
        choices={channels}
        now={consent.channel ?? 'email'}
        choose={(channel) => set({ consent: { ...consent, channel } })}
      />{' '}
      <SayOneOf<string | undefined>
        words={consent.topic ? `about “${consent.topic}”` : 'about everything'}
        label={`The topic of question ${number}`}
        choices={[[undefined, 'about everything'], ...(practice.data?.topics ?? []).map((t) => [t, t] as const)]}
        now={consent.topic}
        choose={(topic) => set({ consent: { ...consent, topic } })}
      />
      {'; its words go into the ledger as they stand'}
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
      words={q.into ? `goes into ${choices.find(([c]) => c === q.into)?.[1] ?? q.into}` : 'stays with what was sent'}
      label={`Where question ${number} goes`}
      soft={!q.into}
      choices={[[undefined, 'stays with what was sent'], ...choices]}
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
    ? 'asked always'
    : `asked only if “${other?.ask ?? q.shownIf.question}” is ${answers.length > 0 ? answers.map((a) => `“${a}”`).join(' or ') : 'answered'}`;
  return (
    <Say words={words} label={`When question ${number} is asked`} soft={!q.shownIf}>
      {() => (
        <>
          <OneOf<string | undefined>
            choices={[[undefined, 'asked always'], ...before.map((x) => [x.id, `only if “${x.ask}” …`] as const)]}
            now={q.shownIf?.question}
            none="There is no question before it."
            choose={(question) => set({ shownIf: question ? { question, answers: [] } : undefined })}
          />
          {other && (
            <fieldset className="mt-2 border-0 p-0">
              <legend className="text-small">is answered {offered.length > 0 ? 'with any of these; none for any answer' : ''}</legend>
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
    <Say words={q.help ? `with the help “${q.help}”` : 'without a word of help'} label={`The help of question ${number}`} soft={!q.help}>
      {() => (
        <Field label="A word of help below it">
          {(id) => (
            <input id={id} autoFocus className="w-full" value={q.help ?? ''} onChange={(e) => set({ help: e.target.value || undefined })} />
          )}
        </Field>
      )}
    </Say>
  );
}
