import { useQuery } from '@tanstack/react-query';
import { useId, useState } from 'react';
import { api, take } from '../../api/client';
import { useSession } from '../../app/session';
import { Button, Field } from '../../ui/bits';
import { monthNames } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { StageSelect, TagInput, Take } from '../programs/forms';
import { SpanField } from '../programs/SpanField';
import {
  allOps,
  blankLeaf,
  type Choices,
  consentWords,
  type FieldKind,
  fieldGroups,
  fieldOf,
  fields,
  isComplete,
  type Leaf,
  type OwnField,
  opsOf,
  opWords,
  ownDate,
  ownText,
  partsOfField,
  type Rule,
  type RuleOp,
  type RuleValue,
  relation,
  valueKind,
  withOp,
} from './ruleLanguage';

/** What is said of a rule that lacks something. */
export const notComplete = phrase('This is not complete yet: choose or write what it compares with.');

/** One rule over a person, edited as a whole and handed on when it is complete. */
export function RuleForm({ label, rule, done }: { label: string; rule?: Rule; done: (rule: Rule) => void }) {
  const [draft, setDraft] = useState<Rule>(rule ?? blankLeaf('tags'));
  const [trouble, setTrouble] = useState<string>();
  return (
    <Take done={() => (isComplete(draft) ? done(draft) : setTrouble(notComplete))}>
      <RuleFields label={label} rule={draft} set={setDraft} trouble={trouble} />
    </Take>
  );
}

const groups = { all: phrase('all of these hold'), any: phrase('at least one of these holds'), not: phrase('this does not hold') } as const;
type Group = keyof typeof groups;

/** What stands before the first of several, and before each other. */
const joins = { all: [phrase('if'), phrase('and if')], any: [phrase('if'), phrase('or if')], not: [phrase('if'), phrase('if')] } as const;

const groupOf = (rule: Rule): Group | undefined => ('all' in rule ? 'all' : 'any' in rule ? 'any' : 'not' in rule ? 'not' : undefined);
const insideOf = (rule: Rule): Rule[] => ('all' in rule ? rule.all : 'any' in rule ? rule.any : 'not' in rule ? [rule.not] : [rule]);
const made = (group: Group, parts: Rule[]): Rule =>
  group === 'not' ? { not: parts.length === 1 && parts[0] ? parts[0] : { any: parts } } : group === 'all' ? { all: parts } : { any: parts };

/**
 * What a rule asks, whatever of the language it uses: a field and what is asked of it, or several of them taken together, one
 * inside the other.
 * @param label what the rule is for; read before the field's words
 */
export function RuleFields({ label, rule, set, trouble }: { label: string; rule: Rule; set: (rule: Rule) => void; trouble?: string }) {
  const group = groupOf(rule);
  const parts = insideOf(rule);
  const leaf = group ? undefined : (rule as Leaf);
  const fieldsOfTheirs = useSession().data?.ownFields ?? [];
  const listed = fieldsOfTheirs.map((f) => ownText + f.key);
  const own = !leaf || listed.includes(leaf.field) ? undefined : [ownText, ownDate].find((begin) => leaf.field.startsWith(begin));
  return (
    <>
      <Field label={label} error={trouble}>
        {(id, by) => (
          <select
            id={id}
            aria-describedby={by}
            className="w-full"
            value={group ?? own ?? (leaf && pickedField(leaf.field))}
            onChange={(e) => {
              const to = e.target.value;
              set(to in groups ? made(to as Group, parts) : blankLeaf(to, fieldsOfTheirs));
            }}
          >
            {(Object.keys(fieldGroups) as (keyof typeof fieldGroups)[]).map((group) => (
              <optgroup key={group} label={fieldGroups[group]}>
                {Object.entries(fields)
                  .filter(([, f]) => (f.group ?? 'facts') === group)
                  .map(([name, f]) => (
                    <option key={name} value={name}>
                      {f.offered ?? (f.kind === 'flag' ? f.words : phrase('their {words}', { words: f.words }))}
                    </option>
                  ))}
                {group === 'facts' && <option value={ownDate}>{phrase('a date of another name')}</option>}
                {group === 'facts' && own === ownText && <option value={ownText}>{phrase('a field that is gone')}</option>}
                {group === 'around' && <option value={relation}>{phrase('they have somebody in a role')}</option>}
              </optgroup>
            ))}
            {fieldsOfTheirs.length > 0 && (
              <optgroup label={phrase('Fields of your own')}>
                {fieldsOfTheirs.map((f) => (
                  <option key={f.key} value={ownText + f.key}>
                    {phrase('their {name}', { name: f.name })}
                  </option>
                ))}
              </optgroup>
            )}
            <optgroup label={phrase('Several things')}>
              {Object.entries(groups).map(([name, words]) => (
                <option key={name} value={name}>
                  {words}
                </option>
              ))}
            </optgroup>
          </select>
        )}
      </Field>
      {leaf && own && (
        <Field label={phrase('Its name')}>
          {(id) => (
            <input
              id={id}
              required
              className="w-full"
              value={leaf.field.slice(own.length)}
              onChange={(e) => set({ ...leaf, field: own + e.target.value })}
            />
          )}
        </Field>
      )}
      {leaf && !own && fieldOf(leaf.field).named && <Which leaf={leaf} set={set} />}
      {leaf && <LeafFields key={own === ownDate ? ownDate : pickedField(leaf.field)} leaf={leaf} set={set} own={fieldsOfTheirs} />}
      {group && (
        <ul className="m-0 mb-3 list-none border-l border-rule p-0 pl-3" aria-label={groups[group]}>
          {parts.map((part, i) => (
            // Parts have no names of their own; their place is what they are known by.
            <li key={i}>
              <RuleFields label={joins[group][i > 0 ? 1 : 0]} rule={part} set={(p) => set(made(group, parts.with(i, p)))} />
              {parts.length > 1 && (
                <Button look="danger" className="mb-3" onClick={() => set(made(group, parts.toSpliced(i, 1)))}>
                  {phrase('Take this one out')}
                </Button>
              )}
            </li>
          ))}
          {group !== 'not' && (
            <li>
              <Button onClick={() => set(made(group, [...parts, blankLeaf('tags')]))}>
                {group === 'all' ? phrase('and another') : phrase('or another')}
              </Button>
            </li>
          )}
        </ul>
      )}
    </>
  );
}

/** A field as the list of fields knows it: without which one. */
function pickedField(field: string): string {
  const { base, name } = partsOfField(field);
  return name === undefined || field.startsWith(ownText) || field.startsWith(ownDate) ? field : base === 'relation' ? relation : base;
}

/** Which message, link, program or role it is about, where the field goes on with one. */
function Which({ leaf, set }: { leaf: Leaf; set: (leaf: Leaf) => void }) {
  const { base, name = '' } = partsOfField(leaf.field);
  const named = fieldOf(leaf.field).named;
  const offered = useQuery({
    queryKey: ['rule-names', base],
    queryFn: () => take(api.GET('/api/rules/names', { params: { query: { field: base } } })),
  }).data;
  return (
    <Field label={named?.label ?? phrase('Which')}>
      {(id) => (
        <select
          id={id}
          required={!named?.any}
          className="w-full"
          value={name}
          onChange={(e) => set({ ...leaf, field: e.target.value || !named?.any ? `${base}:${e.target.value}` : base })}
        >
          <option value="">{named?.any ?? phrase('choose')}</option>
          {name && !offered?.some((o) => o.value === name) && <option value={name}>{name}</option>}
          {offered?.map((o) => (
            <option key={o.value} value={o.value}>
              {o.words}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
}

function LeafFields({ leaf, set, own }: { leaf: Leaf; set: (leaf: Leaf) => void; own: readonly OwnField[] }) {
  const { kind, choices, options } = fieldOf(leaf.field, own);
  const usual = opsOf[kind];
  const ops = usual.includes(leaf.op) ? usual : [...usual, ...allOps.filter((op) => op === leaf.op)];
  return (
    <>
      <Field label={phrase('What of it')}>
        {(id) => (
          <select id={id} className="w-full" value={leaf.op} onChange={(e) => set(withOp(leaf, e.target.value as RuleOp))}>
            {ops.map((op) => (
              <option key={op} value={op}>
                {opWords(op, kind)}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Value key={leaf.op} leaf={leaf} kind={kind} choices={choices} options={options} set={(value) => set({ ...leaf, value })} />
    </>
  );
}

type ValueProps = { leaf: Leaf; kind: FieldKind; choices?: Choices; options?: readonly string[]; set: (value: RuleValue) => void };

/** What a field is compared with, asked for as what it is. */
function Value({ leaf, kind, choices, options, set }: ValueProps) {
  const words = Array.isArray(leaf.value) ? leaf.value.join('\n') : String(leaf.value ?? '');
  switch (valueKind(leaf.op)) {
    case 'none':
      return null;
    case 'span':
      return (
        <SpanField
          label={phrase('How long')}
          value={words}
          set={(v) => set(v ?? words)}
          units={['hours', 'days', 'weeks', 'months', 'years']}
        />
      );
    case 'month':
      return (
        <Field label={phrase('Month')}>
          {(id) => (
            <select id={id} value={words} onChange={(e) => set(Number(e.target.value) || e.target.value)}>
              <option value="this">{phrase('this month')}</option>
              <option value="next">{phrase('next month')}</option>
              {monthNames.map((m, i) => (
                <option key={m} value={i + 1}>
                  {m}
                </option>
              ))}
            </select>
          )}
        </Field>
      );
    case 'date':
      return <Plain label={phrase('Date')} type="date" value={words} set={set} />;
    case 'number':
      return (
        <Plain
          label={phrase('Number')}
          type="number"
          value={words}
          set={(v) => set(typeof leaf.value === 'string' || v === '' ? v : Number(v))}
        />
      );
    case 'several':
      return (
        <Several
          choices={choices}
          field={leaf.field}
          options={options}
          value={(Array.isArray(leaf.value) ? leaf.value : []).map(String)}
          set={set}
        />
      );
    default:
      if (choices === 'stages' && leaf.op !== 'contains' && leaf.op !== 'starts-with') return <StageSelect value={words} set={set} />;
      if (choices === 'tags') return <TagInput value={words} set={set} />;
      if (choices && leaf.op !== 'contains' && leaf.op !== 'starts-with')
        return <One choices={choices} field={leaf.field} options={options} value={words} set={set} />;
      return (
        <Plain
          label={kind === 'number' ? phrase('Number') : phrase('What')}
          type={kind === 'number' ? 'number' : 'text'}
          value={words}
          set={set}
        />
      );
  }
}

function Plain({ label, type, value, set }: { label: string; type: string; value: string; set: (value: string) => void }) {
  return (
    <Field label={label}>
      {(id) => (
        <input
          id={id}
          type={type}
          step="any"
          required
          className={type === 'text' ? 'w-full' : 'w-40'}
          value={value}
          onChange={(e) => set(e.target.value)}
        />
      )}
    </Field>
  );
}

/** One of a list; what is chosen stays to be seen even where the list has lost it. */
function One({
  choices,
  field,
  options,
  value,
  set,
}: {
  choices: Choices;
  field: string;
  options?: readonly string[];
  value: string;
  set: (value: string) => void;
}) {
  const offered = useOffered(choices, field, options);
  const known = offered.some(([v]) => v === value);
  return (
    <Field label={phrase('Which')}>
      {(id) => (
        <select id={id} required className="w-full" value={value} onChange={(e) => set(e.target.value)}>
          <option value="">{phrase('choose')}</option>
          {value && !known && <option value={value}>{value}</option>}
          {offered.map(([v, words]) => (
            <option key={v} value={v}>
              {words}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
}

/** Several of a list, or several words, one in a line. */
function Several({
  choices,
  field,
  options,
  value,
  set,
}: {
  choices?: Choices;
  field: string;
  options?: readonly string[];
  value: string[];
  set: (value: string[]) => void;
}) {
  const offered = useOffered(choices, field, options);
  const legend = useId();
  const [typed, setTyped] = useState(value.join('\n'));
  if (!choices) {
    return (
      <Field label={phrase('Which')} hint={phrase('one in a line')}>
        {(id, by) => (
          <textarea
            id={id}
            aria-describedby={by}
            required
            rows={4}
            className="w-full"
            value={typed}
            onChange={(e) => {
              setTyped(e.target.value);
              set(
                e.target.value
                  .split('\n')
                  .map((line) => line.trim())
                  .filter(Boolean),
              );
            }}
          />
        )}
      </Field>
    );
  }
  const lost = value.filter((v) => !offered.some(([o]) => o === v));
  return (
    <fieldset className="m-0 mb-3 border-0 p-0" aria-labelledby={legend}>
      <legend id={legend} className="mb-0.5 text-small text-soft">
        {phrase('Which')}
      </legend>
      <div className="max-h-40 overflow-y-auto">
        {[...offered, ...lost.map((v) => [v, v] as const)].map(([v, words]) => (
          <label key={v} className="flex min-h-7 items-center gap-2 text-small">
            <input
              type="checkbox"
              checked={value.includes(v)}
              onChange={(e) => set(e.target.checked ? [...value, v] : value.filter((x) => x !== v))}
            />{' '}
            {words}
          </label>
        ))}
      </div>
    </fieldset>
  );
}

/** What a field's values are chosen from: each as the file writes it, and in words. */
function useOffered(choices: Choices | undefined, field: string, options: readonly string[] = []): (readonly [string, string])[] {
  const session = useSession().data;
  const here = useQuery({
    queryKey: ['rule-values', field],
    queryFn: () => take(api.GET('/api/rules/values', { params: { query: { field } } })),
    enabled: choices === 'here',
  });
  const programs = useQuery({
    queryKey: ['programs'],
    queryFn: () => take(api.GET('/api/programs')),
    enabled: choices === 'programs',
  });
  switch (choices) {
    case 'stages':
      return session?.stages.map((s) => [s, s.replace('/', ', ')] as const) ?? [];
    case 'tags':
      return session?.tags.map((t) => [t, t] as const) ?? [];
    case 'members':
      return session?.members.map((m) => [m.id, m.name] as const) ?? [];
    case 'programs':
      return programs.data?.map((p) => [p.name, p.name] as const) ?? [];
    case 'consent':
      return Object.entries(consentWords);
    case 'here':
      return here.data?.map((v) => [v.value, v.count ? `${v.words} (${v.count})` : v.words] as const) ?? [];
    case 'own':
      return options.map((o) => [o, o] as const);
    default:
      return [];
  }
}
