import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Field } from '../../ui/bits';
import { OwnFieldInput } from '../../ui/OwnFieldInput';
import { phrase } from '../../words/phrase';
import { linksOf } from '../letters/letterLink';
import { notComplete, RuleFields } from '../rules/RuleForm';
import { blankLeaf, isComplete, type Rule } from '../rules/ruleLanguage';
import { LinkSelect, StageSelect, TagInput, Take } from './forms';
import { type Change, type Question, readByOthers, type Step, stepName } from './programFile';

/** The small forms behind the words of forks, splits and changes. */

type Asked = {
  label: string;
  of?: Step['kind'][];
  anyStep?: boolean;
  word?: { key: 'link' | 'outcome' | 'form'; label: string; optional?: boolean };
};

const questions: Record<string, Asked> = {
  opened: { label: phrase('opened an email'), of: ['email'] },
  'link-followed': { label: phrase('followed a link'), of: ['email'], word: { key: 'link', label: phrase('Which link'), optional: true } },
  replied: { label: phrase('answered'), of: ['email', 'text'], anyStep: true },
  bounced: { label: phrase('could not be reached: it came back'), of: ['email'] },
  'call-ended': {
    label: phrase('were called, and it ended a certain way'),
    of: ['call'],
    word: { key: 'outcome', label: phrase('How it ended') },
  },
  'form-sent': { label: phrase('sent a form'), word: { key: 'form', label: phrase('Which form') } },
};

/** The links of a step's letter: its own words, or those of the letter it follows. */
function useLinks(step: Step | undefined) {
  const name = step?.kind === 'email' ? step.letter?.toLowerCase() : undefined;
  const letters = useQuery({ queryKey: ['letters'], enabled: name !== undefined, queryFn: () => take(api.GET('/api/letters')) });
  const id = letters.data?.find((l) => l.name.toLowerCase() === name)?.id;
  const letter = useQuery({
    queryKey: ['letter', id],
    enabled: id !== undefined,
    queryFn: () => take(api.GET('/api/letters/{id}', { params: { path: { id: id ?? '' } } })),
  });
  return linksOf(name === undefined ? step : letter.data);
}

/** What a fork asks: about a step before it, or about the person as they are then. */
export function QuestionForm({ question, before, done }: { question: Question; before: Step[]; done: (q: Question) => void }) {
  const given = typeof question.kind === 'string' ? undefined : (question as Rule);
  const [kind, setKind] = useState(typeof question.kind === 'string' ? question.kind : 'rule');
  const [rule, setRule] = useState<Rule>(given ?? blankLeaf('tags'));
  const [wrong, setWrong] = useState<string>();
  const asked = questions[kind];
  // What somebody else reads says nothing of what the person did.
  const steps = before.filter((s) => asked?.of?.includes(s.kind) && !readByOthers(s));
  const [step, setStep] = useState(typeof question.step === 'string' ? question.step : '');
  const [word, setWord] = useState(String(question.link ?? question.outcome ?? question.form ?? ''));
  const chosen = steps.some((s) => s.id === step) ? step : asked?.anyStep ? '' : (steps.at(-1)?.id ?? '');
  const links = useLinks(steps.find((s) => s.id === chosen));
  return (
    <Take
      done={() => {
        if (!asked) {
          if (isComplete(rule)) done(rule as Question);
          else setWrong(notComplete);
        } else {
          // What the question has beside this stays; what was emptied goes.
          const { step: _, ...rest } = kind === question.kind ? question : {};
          const made: Question = { ...rest, kind, ...(chosen && { step: chosen }) };
          if (asked.word) delete made[asked.word.key];
          done({ ...made, ...(asked.word && word.trim() && { [asked.word.key]: word.trim() }) });
        }
      }}
    >
      <Field label={phrase('If they')}>
        {(id) => (
          <select id={id} className="w-full" value={kind} onChange={(e) => setKind(e.target.value)}>
            {Object.entries(questions).map(([k, q]) => (
              <option key={k} value={k}>
                {q.label}
              </option>
            ))}
            <option value="rule">{phrase('are like this, when it is asked')}</option>
          </select>
        )}
      </Field>
      {asked?.of && (
        <Field label={phrase('Which one')} hint={steps.length === 0 ? phrase('No step before this one can be asked about.') : undefined}>
          {(id, by) => (
            <select
              id={id}
              aria-describedby={by}
              required={!asked.anyStep}
              className="w-full"
              value={chosen}
              onChange={(e) => setStep(e.target.value)}
            >
              {asked.anyStep && <option value="">{phrase('any')}</option>}
              {steps.map((s) => (
                <option key={s.id} value={s.id}>
                  {stepName(s) || s.id}
                </option>
              ))}
            </select>
          )}
        </Field>
      )}
      {asked?.word?.key === 'link' && <LinkSelect label={asked.word.label} optional value={word} links={links} set={setWord} />}
      {asked?.word && asked.word.key !== 'link' && (
        <Field label={asked.word.label}>
          {(id) => (
            <input id={id} className="w-full" required={!asked.word?.optional} value={word} onChange={(e) => setWord(e.target.value)} />
          )}
        </Field>
      )}
      {kind === 'rule' && <RuleFields label={phrase('If')} rule={rule} set={setRule} trouble={wrong} />}
    </Take>
  );
}

const changes: Record<string, string> = {
  tag: phrase('put a tag on'),
  tagOff: phrase('take a tag off'),
  list: phrase('put them on a list'),
  listOff: phrase('take them off a list'),
  stage: phrase('move them to a stage'),
  field: phrase('set a field of the practice’s own'),
};

/** One thing a program changes about somebody. */
export function ChangeForm({ item, done }: { item?: Change; done: (c: Change) => void }) {
  const [kind, setKind] = useState(Object.keys(changes).find((k) => item && k in item) ?? 'tag');
  const [word, setWord] = useState(item ? (item[kind]?.replace(/^custom:/, '') ?? '') : '');
  const [value, setValue] = useState(item?.value ?? '');
  const own = useSession().data?.ownFields ?? [];
  const field = own.find((f) => f.key === word);
  return (
    <Take
      done={() =>
        done({
          ...(item && kind in item ? item : {}),
          ...(kind === 'field' ? { field: `custom:${word.trim()}`, value } : { [kind]: word.trim() }),
        })
      }
    >
      <Field label={phrase('What it does')}>
        {(id) => (
          <select
            id={id}
            className="w-full"
            value={kind}
            onChange={(e) => {
              setKind(e.target.value);
              setWord('');
            }}
          >
            {Object.entries(changes).map(([k, label]) => (
              <option key={k} value={k}>
                {label}
              </option>
            ))}
          </select>
        )}
      </Field>
      {kind === 'tag' || kind === 'tagOff' ? (
        <TagInput value={word} set={setWord} />
      ) : kind === 'stage' ? (
        <StageSelect value={word} set={setWord} />
      ) : (
        <Field label={kind === 'field' ? phrase('Field') : phrase('List')}>
          {(id) =>
            kind === 'field' && own.length > 0 ? (
              <select id={id} className="w-full" required value={word} onChange={(e) => setWord(e.target.value)}>
                <option value="">{phrase('choose')}</option>
                {word && !field && <option value={word}>{word}</option>}
                {own.map((f) => (
                  <option key={f.key} value={f.key}>
                    {f.name}
                  </option>
                ))}
              </select>
            ) : (
              <input id={id} className="w-full" required value={word} onChange={(e) => setWord(e.target.value)} />
            )
          }
        </Field>
      )}
      {kind === 'field' && (
        <Field label={phrase('To')}>
          {(id) => <OwnFieldInput id={id} field={field ?? { kind: 'text', options: [], name: 'To' }} value={value} set={setValue} />}
        </Field>
      )}
    </Take>
  );
}

/** How many of those who come by go down a passage, in relation to the others. */
export function ShareForm({ share, done }: { share: number; done: (share: number) => void }) {
  const [value, setValue] = useState(String(share));
  return (
    <Take done={() => done(Number(value))}>
      <Field label={phrase('Share')} hint={phrase('Shares count against each other: 50 and 50, or 1 and 3.')}>
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            type="number"
            min={1}
            max={1000}
            required
            className="w-24"
            value={value}
            onChange={(e) => setValue(e.target.value)}
          />
        )}
      </Field>
    </Take>
  );
}
