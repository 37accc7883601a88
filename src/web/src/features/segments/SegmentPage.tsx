import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { Button, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch, useTitle } from '../../ui/DayPage';
import { useKept } from '../../ui/kept';
import { said } from '../../ui/undo';
import { phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { WhoField } from '../people/WhoField';
import { isComplete, type Rule } from '../rules/ruleLanguage';
import { RuleSentences } from './RuleSentences';

type Draft = { name: string; rule: Rule; mine: boolean };

/** A segment: who is meant, written as sentences, with who that is now in the margin. */
export default function SegmentPage() {
  const { id = 'new' } = useParams();
  const [query] = useSearchParams();
  const segment = useQuery({
    queryKey: ['segment', id],
    enabled: id !== 'new',
    queryFn: () => take(api.GET('/api/segments/{id}', { params: { path: { id } } })),
  });
  if (id !== 'new' && segment.error) {
    return (
      <DayPage marginTitle={phrase('Who that is')} margin={null}>
        <PageHead title={phrase('No such segment')} />
        <div className="px-7">
          <Trouble error={segment.error} />
          <Link to="/people/segments">{phrase('All segments')}</Link>
        </div>
      </DayPage>
    );
  }
  if (id !== 'new' && !segment.data) return <Loading />;
  const start: Draft = segment.data
    ? { name: segment.data.name, rule: asRule(segment.data.rule), mine: segment.data.mine }
    : { name: query.get('name') ?? '', rule: readRule(query.get('rule')), mine: false };
  return <Writing key={id === 'new' ? `new ${query.get('rule') ?? ''}` : id} id={id} start={start} saved={segment.data} />;
}

const asRule = (json: unknown): Rule => {
  const rule = json as Rule;
  return 'all' in rule ? rule : { all: [rule] };
};

function readRule(text: string | null): Rule {
  try {
    return text ? asRule(JSON.parse(text)) : { all: [] };
  } catch {
    return { all: [] };
  }
}

function Writing({ id, start, saved }: { id: string; start: Draft; saved?: Schemas['SegmentDto'] }) {
  const queries = useQueryClient();
  const go = useNavigate();
  const [draft, setDraft, doneWith] = useKept<Draft>(`segment.${id}`, start);
  const [asked, setAsked] = useState<{ id: string; name: string }>();
  const changed = JSON.stringify(draft) !== JSON.stringify(start);
  const complete = 'all' in draft.rule && draft.rule.all.every(isComplete);
  useTitle(draft.name || phrase('A segment'));

  const preview = useQuery({
    queryKey: ['picked', draft.rule, draft.name],
    enabled: complete,
    placeholderData: keepPreviousData,
    queryFn: () => take(api.POST('/api/segments/preview', { body: { rule: draft.rule as never, name: draft.name || null } })),
  });
  const why = useQuery({
    queryKey: ['picked-why', draft.rule, asked?.id],
    enabled: complete && Boolean(asked),
    queryFn: () => take(api.POST('/api/segments/why', { body: { rule: draft.rule as never, person: asked?.id ?? '' } })),
  });
  const judged = useMemo(() => (asked && why.data ? new Map(why.data.parts.map((p) => [p.pointer, p])) : undefined), [asked, why.data]);
  const findings = useMemo(() => new Map(preview.data?.findings.map((f) => [f.pointer, f.text])), [preview.data]);

  const save = useMutation({
    meta: { says: () => phrase('the segment “{draft}”', { draft: draft.name }) },
    mutationFn: (as: { copy: boolean }) => {
      const body = { name: draft.name, rule: draft.rule as never, mine: draft.mine, edition: saved?.edition ?? null };
      return saved && !as.copy
        ? take(api.PUT('/api/segments/{id}', { params: { path: { id } }, body }))
        : take(api.POST('/api/segments', { body: { ...body, edition: null } }));
    },
    onSuccess: (kept) => {
      doneWith();
      queries.setQueryData(['segment', kept.id], kept);
      queries.invalidateQueries({ queryKey: ['segments'] });
      said(phrase('“{kept}” is kept.', { kept: kept.name }));
      if (kept.id !== id) go(`/people/segments/${kept.id}`, { replace: true });
    },
  });
  const remove = useMutation({
    meta: { says: () => phrase('the segment “{draft}” taken away', { draft: draft.name }) },
    mutationFn: () => take(api.DELETE('/api/segments/{id}', { params: { path: { id } } })),
    onSuccess: () => {
      doneWith();
      queries.invalidateQueries({ queryKey: ['segments'] });
      go('/people/segments');
      said(phrase('“{saved}” is taken away.', { saved: saved?.name }), async () => {
        await take(api.POST('/api/segments', { body: { name: start.name, rule: start.rule as never, mine: start.mine, edition: null } }));
        queries.invalidateQueries({ queryKey: ['segments'] });
      });
    },
  });

  const picked = preview.data?.picked;
  return (
    <DayPage
      marginTitle={phrase('Who that is')}
      margin={
        <>
          <h2 aria-live="polite">
            {picked
              ? phrase('{count, plural, one {# person} other {# people}}', { count: picked.count })
              : complete
                ? '…'
                : phrase('not complete yet')}
          </h2>
          {picked && picked.count > 0 && (
            <>
              <ul className="m-0 mb-3 list-none p-0">
                {picked.sample.map((p) => (
                  <li key={p.id} className="py-0.5">
                    <Link to={`/people/${p.id}`}>{p.name}</Link>
                  </li>
                ))}
                {picked.count > picked.sample.length && (
                  <li className="py-0.5 text-soft">{phrase('and {count, number} more', { count: picked.count - picked.sample.length })}</li>
                )}
              </ul>
              {saved && !changed && (
                <p className="mb-4">
                  <Link to={`/people?segment=${id}`}>{phrase('All of them, to do something for')}</Link>
                </p>
              )}
            </>
          )}
          {picked?.count === 0 && <p className="mb-4 text-soft">{phrase('Nobody fits now. Ask below about somebody who should.')}</p>}
          <Trouble error={preview.error} />
          <h3>{phrase('Why is somebody in, or not')}</h3>
          <WhoField label={phrase('Why is somebody in, or not')} pick={setAsked} />
          {asked && why.data && (
            <p>
              <Sentence
                m="{b} is {holds, select, true {in} other {not in}}. What decides is marked at the left. <button>ask no more</button>"
                v={{
                  b: <b>{asked.name}</b>,
                  holds: String(why.data.holds),
                  button: (c) => (
                    <Button look="plain" onClick={() => setAsked(undefined)}>
                      {c}
                    </Button>
                  ),
                }}
              />
            </p>
          )}
          <Trouble error={why.error} />
        </>
      }
    >
      <PageHead
        title={
          <h1 className="min-w-0 flex-1">
            <input
              aria-label={phrase('Name of the segment')}
              placeholder={phrase('A name for these people')}
              className="w-full border-0 bg-transparent p-0 font-serif"
              value={draft.name}
              onChange={(e) => setDraft({ ...draft, name: e.target.value })}
            />
          </h1>
        }
        aside={<Link to="/people/segments">{phrase('All segments')}</Link>}
      />
      <RuleSentences
        rule={draft.rule}
        set={(rule) => setDraft({ ...draft, rule })}
        judged={judged}
        deciding={why.data?.deciding}
        findings={findings}
      />
      {findings.has('') && (
        <p role="alert" className="row text-ember">
          {findings.get('')}
        </p>
      )}
      <Stretch title={phrase('Keep it')} />
      <div className="row">
        {saved && saved.uses.length > 0 && (
          <p className="mt-0 mb-2 max-w-[64ch]">
            {phrase('{uses} {uses2, plural, one {asks} other {ask}} for it: what is changed here changes there.', {
              uses: saved.uses.map((u) => quoted(u)).join(', '),
              uses2: saved.uses.length,
            })}
          </p>
        )}
        <Field label={phrase('Who sees it')} error={fieldError(save.error, 'name') ?? fieldError(save.error, 'rule')}>
          {(field, by) => (
            <select
              id={field}
              aria-describedby={by}
              value={draft.mine ? 'mine' : 'all'}
              onChange={(e) => setDraft({ ...draft, mine: e.target.value === 'mine' })}
            >
              <option value="all">{phrase('the practice; programs can ask for it')}</option>
              <option value="mine">{phrase('only I')}</option>
            </select>
          )}
        </Field>
        <div className="flex flex-wrap items-baseline gap-4">
          <Button
            look="main"
            disabled={save.isPending || !complete || !draft.name.trim() || (Boolean(saved) && !changed)}
            onClick={() => save.mutate({ copy: false })}
          >
            {saved ? phrase('Save') : phrase('Keep')}
          </Button>
          {saved && changed && draft.name.trim() !== saved.name && (
            <Button onClick={() => save.mutate({ copy: true })}>{phrase('Keep a copy under this name')}</Button>
          )}
          {changed && (
            <Button look="plain" onClick={doneWith}>
              {phrase('As it was')}
            </Button>
          )}
          {saved && (
            <Button look="danger" disabled={remove.isPending} onClick={() => remove.mutate()}>
              {phrase('Take it away')}
            </Button>
          )}
          {!draft.name.trim() && <span className="text-small text-soft">{phrase('it needs a name to be kept')}</span>}
        </div>
        {save.error && !fieldError(save.error, 'name') && !fieldError(save.error, 'rule') && <Trouble error={save.error} />}
        <Trouble error={remove.error} />
      </div>
    </DayPage>
  );
}
