import type { ReactNode } from 'react';
import { Button } from '../../ui/bits';
import { keyDate } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Say } from '../programs/Say';
import { RuleForm } from '../rules/RuleForm';
import { type Leaf, type Names, type Rule, sayRule } from '../rules/ruleLanguage';
import { useNames } from '../rules/useNames';

type Group = 'all' | 'any';
type Judged = ReadonlyMap<string, { holds: boolean; found: readonly string[] }>;

/** Where a sentence stands: the first of all, the first of those taken together, one more of which all must hold, one more of which one is enough. */
type Place = 'first' | 'inner' | 'and' | 'or';
const more = { all: phrase('and who'), any: phrase('or who') } as const;
const heads = { all: phrase('for whom all of this holds'), any: phrase('for whom at least one of this holds') } as const;
/** What stands before and after what can be changed in a sentence. */
function around(place: Place, not: boolean, isGroup: boolean) {
  const it = '\n';
  const words = isGroup
    ? phrase(
        '{not, select, true {{place, select, first {Everybody, but not those {it}:} and {and not those {it}:} or {or not those {it}:} other {not those {it}:}}} other {{place, select, first {People {it}:} and {and {it}:} or {or {it}:} other {{it}:}}}}',
        { place, not: String(not), it },
      )
    : phrase(
        '{not, select, true {{place, select, first {Everybody, but not those who {it}} and {and not those who {it}} or {or not those who {it}} other {not those who {it}}}} other {{place, select, first {People who {it}} and {and who {it}} or {or who {it}} other {who {it}}}}}',
        { place, not: String(not), it },
      );
  const [before = '', after = ''] = words.split(it);
  return [before, after] as const;
}

const groupOf = (rule: Rule): Group | undefined => ('all' in rule ? 'all' : 'any' in rule ? 'any' : undefined);
const insideOf = (rule: Rule): Rule[] => ('all' in rule ? rule.all : 'any' in rule ? rule.any : [rule]);
const made = (group: Group, parts: Rule[]): Rule => (group === 'all' ? { all: parts } : { any: parts });

type Props = {
  rule: Rule;
  set: (rule: Rule) => void;
  /** Where the rule stands in the whole, as a JSON pointer. */
  pointer?: string;
  /** What each part comes to for somebody who is asked about. */
  judged?: Judged;
  /** The parts that decide for them. */
  deciding?: readonly string[];
  /** What is wrong with parts, by their pointers. */
  findings?: ReadonlyMap<string, string>;
};

/**
 * A rule read as a page: one sentence a line, each a control, several taken together as sentences indented under their head. The
 * gutter says for somebody who is asked about which of them hold.
 */
export function RuleSentences({ rule, set, pointer = '', ...rest }: Props) {
  const group = groupOf(rule) ?? 'all';
  const parts = insideOf(rule);
  const at = (i: number) => (groupOf(rule) ? `${pointer}/${group}/${i}` : pointer);
  const take = (i: number) => set(made(group, parts.toSpliced(i, 1)));
  return (
    <ul className="m-0 list-none p-0" aria-label={pointer ? heads[group] : phrase('People')}>
      {parts.map((part, i) => (
        // Parts have no names of their own; their place is what they are known by.
        <RuleSentence
          key={i}
          place={i > 0 ? (group === 'all' ? 'and' : 'or') : pointer ? 'inner' : 'first'}
          part={part}
          pointer={at(i)}
          set={(p) => set(made(group, parts.with(i, p)))}
          take={() => take(i)}
          {...rest}
        />
      ))}
      <li className="row text-soft">
        <Say
          words={parts.length === 0 ? phrase('Everybody. Write a sentence that says who is meant') : `${more[group]} …`}
          label={parts.length === 0 ? phrase('The first sentence') : phrase('{joins} …: one more sentence', { joins: more[group] })}
          soft
        >
          {(close) => (
            <RuleForm
              label={phrase('What is asked of them')}
              done={(added) => {
                set(made(group, [...parts, added]));
                close();
              }}
            />
          )}
        </Say>
      </li>
    </ul>
  );
}

function RuleSentence({
  place,
  part,
  pointer,
  set,
  take,
  judged,
  deciding,
  findings,
}: Omit<Props, 'rule'> & { place: Place; part: Rule; pointer: string; take: () => void }) {
  const names = useNames();
  const verdict = judged?.get(pointer);
  const finding = findings?.get(pointer);
  const not = 'not' in part ? part.not : undefined;
  const inner = not ?? part;
  const group = groupOf(inner);
  const innerAt = not ? `${pointer}/not` : pointer;
  const [before, after] = around(place, Boolean(not), Boolean(group));
  const setInner = (p: Rule) => set(not ? { not: p } : p);
  const deep = pointer.indexOf('/', pointer.indexOf('/', 1) + 1) > 0;
  const decides = deciding?.includes(innerAt) || deciding?.includes(pointer);
  // Indented sentences stand too far from the gutter: there it is said in the line.
  const so: ReactNode = verdict && (
    <span className={`${verdict.holds ? 'text-leaf' : 'text-ember'} ${deep ? 'float-right ml-3 font-sans text-small' : 'gutter'}`}>
      {verdict.holds ? phrase('so') : phrase('not so')}
    </span>
  );
  if (group) {
    return (
      <li className={`row ${decides ? 'on' : ''}`}>
        {so}
        <span className="font-serif text-lead">
          {before}
          <Say words={heads[group]} label={before + heads[group]}>
            {(close) => (
              <>
                <p className="mt-0 mb-3">{phrase('What is indented under it is taken together.')}</p>
                <div className="flex flex-col items-start gap-2">
                  <Button
                    onClick={() => {
                      setInner(made(group === 'all' ? 'any' : 'all', insideOf(inner)));
                      close();
                    }}
                  >
                    {group === 'all' ? phrase('at least one of it is enough') : phrase('all of it must hold')}
                  </Button>
                  <Button
                    onClick={() => {
                      set(not ? inner : { not: inner });
                      close();
                    }}
                  >
                    {not ? phrase('these are meant') : phrase('just these are not meant')}
                  </Button>
                  <Button look="danger" onClick={take}>
                    {phrase('Take all of it out')}
                  </Button>
                </div>
              </>
            )}
          </Say>
          {after}
        </span>
        <div className="mt-1 border-l border-rule pl-4">
          <RuleSentences rule={inner} set={setInner} pointer={innerAt} judged={judged} deciding={deciding} findings={findings} />
        </div>
      </li>
    );
  }
  const asked = sayRule(inner, names);
  return (
    <li className={`row ${decides ? 'on' : ''}`}>
      {so}
      <span className="font-serif text-lead">
        {before}
        <Say words={asked} label={before + asked + after}>
          {(close) => (
            <>
              <RuleForm
                label={phrase('What is asked of them')}
                rule={inner}
                done={(changed) => {
                  setInner(changed);
                  close();
                }}
              />
              <div className="mt-3 flex flex-wrap gap-4">
                <Button
                  onClick={() => {
                    set(not ? inner : { not: inner });
                    close();
                  }}
                >
                  {not ? phrase('Those who do') : phrase('Not those')}
                </Button>
                <Button look="danger" onClick={take}>
                  {phrase('Take it out')}
                </Button>
              </div>
            </>
          )}
        </Say>
        {after}
      </span>
      {verdict && (judged?.get(innerAt)?.found.length ?? 0) > 0 && (
        <span className="block text-small text-soft">{sayFound(inner as Leaf, judged?.get(innerAt)?.found ?? [], names)}</span>
      )}
      {verdict && judged?.get(innerAt)?.found.length === 0 && (
        <span className="block text-small text-soft">{phrase('nothing is known there')}</span>
      )}
      {finding && (
        <span role="alert" className="block text-small text-ember">
          {finding}
        </span>
      )}
    </li>
  );
}

/** What somebody has where a sentence asks. */
function sayFound(leaf: Leaf, found: readonly string[], names: Names) {
  const words = found.map((f) =>
    /^\d{4}-\d\d-\d\d$/.test(f)
      ? keyDate(f)
      : leaf.field === 'owner'
        ? names.member(f)
        : leaf.field === 'state'
          ? names.state(f)
          : leaf.field === 'stage'
            ? (f.split('/')[1] ?? f)
            : f,
  );
  return /^(household|relation:)/.test(leaf.field)
    ? phrase('there: {found, number}', { found: found.length })
    : phrase('there: {words}', { words: words.join(', ') });
}
