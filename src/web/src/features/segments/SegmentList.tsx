import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { Empty, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { locale, phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { type Rule, sayRule } from '../rules/ruleLanguage';
import { useNames } from '../rules/useNames';

/** Segments: the practice's, one's own, and those to begin with. */
export default function SegmentList() {
  const segments = useQuery({ queryKey: ['segments'], queryFn: () => take(api.GET('/api/segments')) });
  const ready = useQuery({ queryKey: ['segments', 'ready'], queryFn: () => take(api.GET('/api/segments/ready')) });
  const names = new Set(segments.data?.map((s) => s.name.toLowerCase()));
  const left = ready.data?.filter((r) => !names.has(r.name.toLowerCase())) ?? [];
  return (
    <DayPage
      marginTitle={phrase('What segments are for')}
      margin={
        <>
          <h3>{phrase('What segments are for')}</h3>
          <p>
            {phrase(
              'A segment says in sentences which people are meant. Who that is stays up to date by itself. Programs ask for segments by name, the list of people shows them, and what is done to many can be done to all of one.',
            )}
          </p>
        </>
      }
    >
      <PageHead
        title={phrase('Segments')}
        aside={
          <span className="flex gap-5">
            <Link to="/people">{phrase('All people')}</Link>
            <Link to="/people/segments/new">{phrase('Write one')}</Link>
          </span>
        }
      />
      {segments.error && (
        <div className="px-7">
          <Trouble error={segments.error} />
        </div>
      )}
      {!segments.data ? (
        <Loading />
      ) : segments.data.length === 0 ? (
        <Empty>
          <Sentence
            m="None is kept yet. <link>Write one</link>, or begin with one of those below."
            v={{ link: (c) => <Link to="/people/segments/new">{c}</Link> }}
          />
        </Empty>
      ) : (
        <ul className="m-0 list-none p-0" aria-label={phrase('Segments')}>
          {segments.data.map((s) => (
            <Line key={s.id} to={`/people/segments/${s.id}`} name={s.name} rule={s.rule as Rule} note={noteOf(s)} />
          ))}
        </ul>
      )}
      {left.length > 0 && (
        <>
          <Stretch title={phrase('To begin with')} note={phrase('take one, change it, keep it')} />
          <ul className="m-0 list-none p-0" aria-label={phrase('Segments to begin with')}>
            {left.map((r) => (
              <Line
                key={r.name}
                to={`/people/segments/new?${new URLSearchParams({ name: r.name, rule: JSON.stringify(r.rule) })}`}
                name={r.name}
                rule={r.rule as Rule}
              />
            ))}
          </ul>
        </>
      )}
    </DayPage>
  );
}

function noteOf(s: Schemas['SegmentDto']) {
  const parts = [
    s.mine ? phrase('only you see it') : '',
    s.uses.length > 0 ? phrase('asked for by {uses}', { uses: s.uses.map((u) => quoted(u)).join(', ') }) : '',
  ];
  return parts.filter(Boolean).join('; ');
}

function Line({ to, name, rule, note }: { to: string; name: string; rule: Rule; note?: string }) {
  const names = useNames();
  const picked = useQuery({
    queryKey: ['picked', rule, name],
    queryFn: () => take(api.POST('/api/segments/preview', { body: { rule: rule as never, name } })),
  });
  const n = picked.data?.picked?.count;
  return (
    <li className="row">
      <span className="gutter tabular-nums">{n?.toLocaleString(locale()) ?? ''}</span>
      <Link to={to} className="font-semibold text-ink no-underline hover:underline">
        {name}
      </Link>
      <span className="block font-serif text-soft">{phrase('People who {rule}.', { rule: sayRule(rule, names) })}</span>
      {note && <span className="block text-small text-soft">{note}</span>}
    </li>
  );
}
