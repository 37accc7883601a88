import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { useKept } from '../../ui/kept';
import { useKeys } from '../../ui/keys';
import { count, nearDay } from '../../ui/when';
import { Many } from '../people/Many';

type Kind = 'nothing' | 'far' | 'cannot';

const words: Record<Kind, string> = {
  nothing: 'nothing is planned for them',
  far: 'only something far away is planned for them',
  cannot: 'what is planned cannot reach them',
};

/** Who has nothing coming from the practice at all: found, picked, and given a program from here. */
export default function ForgottenPage() {
  const { now, zone } = useNow();
  const go = useNavigate();
  const [kind, setKind] = useKept<Kind>('forgotten.kind', 'nothing');
  const [owner, setOwner] = useKept('forgotten.owner', '');
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [at, setAt] = useState(0);
  const found = useQuery({
    queryKey: ['almanac', 'forgotten', kind, owner],
    queryFn: () => take(api.GET('/api/almanac/forgotten', { params: { query: { kind, owner: owner || undefined } } })),
    placeholderData: (before) => before,
  });
  const rows = found.data?.rows ?? [];
  const toggle = (id: string | undefined) => {
    if (!id) return;
    const next = new Set(picked);
    if (!next.delete(id)) next.add(id);
    setPicked(next);
  };
  const goTo = (i: number) => {
    const to = Math.min(Math.max(i, 0), rows.length - 1);
    setAt(to);
    document.getElementById(`forgotten-${rows[to]?.person.id}`)?.querySelector<HTMLElement>('input')?.focus();
  };
  useKeys({
    j: () => goTo(at + 1),
    k: () => goTo(at - 1),
    x: () => toggle(rows[at]?.person.id),
    Enter: () => rows[at] && go(`/people/${rows[at]?.person.id}`),
  });

  if (found.isPending) return <Loading what="Looking who has nothing to come" />;
  const f = found.data;
  const all = rows.length > 0 && rows.every((r) => picked.has(r.person.id));
  return (
    <DayPage
      marginTitle="With those picked"
      margin={<Many picked={{ people: { ids: [...picked], matching: null }, count: picked.size }} clear={() => setPicked(new Set())} />}
    >
      <PageHead title="Nobody forgotten" aside={<Link to="/almanac">Almanac</Link>}>
        {f && (
          <p className="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1 text-small">
            <select aria-label="What is the matter" value={kind} onChange={(e) => setKind(e.target.value as Kind)}>
              {(['nothing', 'far', 'cannot'] as const).map((k) => (
                <option key={k} value={k}>
                  {count(f[k], 'person', 'people')}: {words[k]}
                </option>
              ))}
            </select>
            <select aria-label="Whose" value={owner} onChange={(e) => setOwner(e.target.value)}>
              <option value="">of everybody</option>
              {f.owners
                .filter((o) => o.ownerId !== null)
                .map((o) => (
                  <option key={o.ownerId} value={o.ownerId ?? ''}>
                    of {o.owner}: {o.count}
                  </option>
                ))}
            </select>
          </p>
        )}
      </PageHead>
      <div className="px-7">
        <Trouble error={found.error} />
      </div>
      <Stretch
        title={`${words[kind][0]?.toUpperCase()}${words[kind].slice(1)}`}
        note={
          rows.length > 0 && (
            <label>
              <input type="checkbox" checked={all} onChange={() => setPicked(all ? new Set() : new Set(rows.map((r) => r.person.id)))} />{' '}
              pick all {rows.length} below
            </label>
          )
        }
      />
      {rows.length === 0 && <Empty>Nobody. Whoever is here has something to come from you.</Empty>}
      {rows.map((r, i) => (
        <div key={r.person.id} id={`forgotten-${r.person.id}`} className={`row flex items-baseline gap-4 ${i === at ? 'on' : ''}`}>
          <span className="gutter">{r.personal ? nearDay(r.personal, zone, now) : 'never'}</span>
          <input
            type="checkbox"
            aria-label={`Pick ${r.person.name}`}
            checked={picked.has(r.person.id)}
            onFocus={() => setAt(i)}
            onChange={() => toggle(r.person.id)}
          />
          <span className="min-w-0 flex-1">
            <Link to={`/people/${r.person.id}`} className="font-semibold text-ink no-underline hover:underline">
              {r.person.name}
            </Link>
            <span className="text-small text-soft">
              {' '}
              {r.owner ?? 'nobody looks after them'}
              {r.next && ` · next ${nearDay(r.next, zone, now)}`}
              {r.why && ` · ${r.why}`}
            </span>
          </span>
        </div>
      ))}
      {f && f[kind] > rows.length && !owner && <p className="row text-small text-soft">and {f[kind] - rows.length} more</p>}
      <p className="border-t border-rule px-7 py-3 text-small text-soft">
        In the gutter: when there was last anything personal, a call, a note, an answer or a meeting. <kbd>j</kbd> <kbd>k</kbd> go through ·{' '}
        <kbd>x</kbd> picks
      </p>
    </DayPage>
  );
}
