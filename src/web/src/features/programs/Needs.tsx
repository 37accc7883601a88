import { useQuery } from '@tanstack/react-query';
import { api, take } from '../../api/client';
import { useSession } from '../../app/session';
import { phrase, quoted } from '../../words/phrase';
import type { ProgramFile } from './programFile';
import { insteadOf, type NeedKind, needsOf, needWords } from './programNeeds';

/** What a program asks for that is not here, each with what is here to be taken in its place; it can be taken back like any change. */
export function Needs({ draft, change }: { draft: ProgramFile; change: (next: ProgramFile) => void }) {
  const session = useSession().data;
  const letters = useQuery({ queryKey: ['letters'], queryFn: () => take(api.GET('/api/letters')) });
  const offers = useQuery({ queryKey: ['offers'], queryFn: () => take(api.GET('/api/offers')) });
  const figures = useQuery({ queryKey: ['figures'], queryFn: () => take(api.GET('/api/figures')) });
  const files = useQuery({ queryKey: ['files'], queryFn: () => take(api.GET('/api/files')) });
  const programs = useQuery({ queryKey: ['programs'], queryFn: () => take(api.GET('/api/programs')) });
  const practice = useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')) });
  const names = (list: { name: string }[] | undefined) => list?.map((x) => x.name);
  const there: Partial<Record<NeedKind, readonly string[]>> = {
    stage: session?.stages,
    tag: session?.tags,
    letter: names(letters.data),
    offer: names(offers.data),
    figures: names(figures.data),
    file: names(files.data),
    program: programs.data && [...programs.data.map((p) => p.name), draft.name],
    policy: names(practice.data?.policies),
    topic: practice.data?.topics,
  };
  const needs = needsOf(draft, there);
  if (needs.length === 0) return null;
  return (
    <section aria-label={phrase('What is not here')}>
      <h3 className="mt-3">{phrase('What it asks for and is not here')}</h3>
      <ul className="m-0 list-none p-0">
        {needs.map((need) => (
          <li key={need.kind + need.name} className="border-t border-dotted border-rule py-1">
            {needWords[need.kind]} {quoted(need.name)}
            {need.kind === 'tag' && <span className="text-soft">{phrase(', which nobody has yet')}</span>}
            {(there[need.kind]?.length ?? 0) > 0 && (
              <select
                aria-label={phrase('In place of {needWords} {need}', { needWords: needWords[need.kind], need: need.name })}
                className="block w-full text-ink"
                value=""
                onChange={(e) => e.target.value && change(insteadOf(draft, need, e.target.value))}
              >
                <option value="">{phrase('take another in its place …')}</option>
                {there[need.kind]?.map((name) => (
                  <option key={name} value={name}>
                    {name.replace('/', ', ')}
                  </option>
                ))}
              </select>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
