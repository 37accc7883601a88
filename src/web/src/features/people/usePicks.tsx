import { useState } from 'react';
import { useNavigate } from 'react-router';
import { useKeys } from '../../ui/keys';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { Many } from './Many';

type Somebody = { id: string; name: string };

/**
 * Lines of people that are gone through and picked by key: j and k, x picks, Enter opens; or all of them at once. What is done with those picked
 * stands in the margin.
 * @param people whom each line is about
 * @param prefix what the ids of the lines begin with on this page
 */
export function usePicks(people: readonly Somebody[], prefix: string) {
  const go = useNavigate();
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [at, setAt] = useState(0);
  const toggle = (id: string | undefined) => {
    if (!id) return;
    const next = new Set(picked);
    if (!next.delete(id)) next.add(id);
    setPicked(next);
  };
  const idOf = (i: number) => `${prefix}-${people[i]?.id}`;
  const goTo = (i: number) => {
    const to = Math.min(Math.max(i, 0), people.length - 1);
    setAt(to);
    document.getElementById(idOf(to))?.querySelector<HTMLElement>('input')?.focus();
  };
  useKeys({
    j: () => goTo(at + 1),
    k: () => goTo(at - 1),
    x: () => toggle(people[at]?.id),
    Enter: () => people[at] && go(`/people/${people[at]?.id}`),
  });
  const every = people.length > 0 && people.every((p) => picked.has(p.id));
  const clear = () => setPicked(new Set());
  return {
    /** What can be done with those picked. */
    margin: <Many picked={{ people: { ids: [...picked], matching: null }, count: picked.size }} clear={clear} />,
    /** Picks all of them, or none. */
    all: people.length > 0 && (
      <label>
        <Sentence
          m="{input} pick all {people, number} below"
          v={{
            input: (
              <input type="checkbox" checked={every} onChange={() => (every ? clear() : setPicked(new Set(people.map((p) => p.id))))} />
            ),
            people: people.length,
          }}
        />
      </label>
    ),
    /** What a line is, by its place. */
    line: (i: number) => ({ id: idOf(i), className: `row flex items-baseline gap-4 ${i === at ? 'on' : ''}` }),
    /** The box of a line. */
    box: (i: number) => {
      const person = people[i];
      return (
        person && (
          <input
            type="checkbox"
            aria-label={phrase('Pick {person}', { person: person.name })}
            checked={picked.has(person.id)}
            onFocus={() => setAt(i)}
            onChange={() => toggle(person.id)}
          />
        )
      );
    },
  };
}
