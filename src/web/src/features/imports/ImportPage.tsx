import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { api, type Schemas, take } from '../../api/client';
import { useNow } from '../../app/session';
import { Button, Loading, ProgressBar, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { NotShown } from '../../ui/NotShown';
import { day } from '../../ui/when';
import { locale, phrase, quoted } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { Columns } from './Columns';
import { UnknownValues } from './UnknownValues';

type Reading = Schemas['ImportReviewDto'];

/** One list: what each column is, what would come of it, and then how far it is. */
export default function ImportPage() {
  const { id = '' } = useParams();
  const key = ['import', id];
  const reading = useQuery({
    queryKey: key,
    queryFn: () => take(api.GET('/api/imports/{id}', { params: { path: { id } } })),
  });
  if (reading.error) {
    return <NotShown title={phrase('Bring people in')} error={reading.error} />;
  }
  if (!reading.data) return <Loading what={phrase('Reading the list')} />;
  return reading.data.import.status === 'review' ? <Review reading={reading.data} /> : <Progress reading={reading.data} />;
}

function Review({ reading }: { reading: Reading }) {
  const queries = useQueryClient();
  const { now, zone } = useNow();
  const id = reading.import.id;
  const path = { params: { path: { id } } };
  const took = (answer: Reading) => {
    queries.setQueryData(['import', id], answer);
  };
  const change = useMutation({
    mutationFn: (next: string[]) => take(api.PUT('/api/imports/{id}/columns', { ...path, body: { columns: next } })),
    onSuccess: took,
  });
  const turn = useMutation({
    // As by keyboard: letter by letter, one after the other, and the last word counts.
    scope: { id: `sheet of ${id}` },
    mutationFn: (sheet: string) => take(api.PUT('/api/imports/{id}/sheet', { ...path, body: { sheet } })),
    onSuccess: took,
  });
  const start = useMutation({
    mutationFn: () => take(api.POST('/api/imports/{id}/start', path)),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['import', id] }),
  });
  const r = reading.review;

  return (
    <DayPage
      marginTitle={phrase('What would come of it')}
      margin={
        r && (
          <>
            <h2>{reading.import.fileName}</h2>
            <p className="mb-3">{phrase('Nothing is written yet.')}</p>
            <dl className="grid grid-cols-[1fr_auto] gap-y-1 text-ink">
              <Figure label={phrase('rows')} n={r.rows} />
              <Figure label={phrase('new people')} n={r.added} strong />
              <Figure label={phrase('the same as somebody here')} n={r.sameAsSomebodyHere} />
              <Figure label={phrase('the same as an earlier row')} n={r.sameInFile} />
              <Figure label={phrase('of these, with blanks to fill')} n={r.filled} />
              <Figure label={phrase('left out')} n={r.leftOut} />
              <Figure label={phrase('doubts')} n={r.doubtsInAll} ember={r.doubtsInAll > 0} />
            </dl>
            <div className="mt-5 flex items-center gap-4">
              <Button look="main" onClick={() => start.mutate()} disabled={start.isPending || change.isPending || change.isError}>
                {phrase('Bring {added, plural, one {# person} other {# people}} in', { added: r.added })}
              </Button>
              <Link to="/people/bring-in" className="text-small text-ink no-underline hover:underline">
                {phrase('leave it')}
              </Link>
            </div>
            <Trouble error={start.error} />
            <p className="mt-4">
              {phrase(
                'Blanks are filled and nothing is overwritten. It can be undone as a whole until somebody has worked with these people, or something has gone out to them.',
              )}
            </p>
            {r.starts.length === 0 ? (
              r.startByMatching.length === 0 && <p className="mt-4">{phrase('No program starts by it.')}</p>
            ) : (
              <>
                <h3 className="mt-4">{phrase('Programs that will start by their dates')}</h3>
                <ul className="m-0 list-none p-0">
                  {r.starts.map((s) => (
                    <li key={s.program} className="py-0.5 text-straw">
                      {phrase('“{program}” for {count, plural, one {# person} other {# people}} within a year, the first on {first}', {
                        program: s.program,
                        count: s.count,
                        first: day(s.first, zone, now),
                      })}
                    </li>
                  ))}
                </ul>
                <p className="mt-1">{phrase('Undoing takes these starts back too.')}</p>
              </>
            )}
            {r.startByMatching.length > 0 && (
              <>
                <h3 className="mt-4">{phrase('Programs that wait for people of a segment')}</h3>
                <p className="text-straw">
                  {phrase(
                    '{startByMatching} {startByMatching2, plural, one {starts} other {start}} for whoever is in their segment by what this list brings.',
                    {
                      startByMatching: r.startByMatching.map((name) => quoted(name)).join(', '),
                      startByMatching2: r.startByMatching.length,
                    },
                  )}
                </p>
              </>
            )}
          </>
        )
      }
    >
      <PageHead
        title={phrase('Is this right?')}
        aside={phrase('{columns, number} columns, {rowsInAll, number} rows', {
          columns: reading.columns.length,
          rowsInAll: reading.import.rowsInAll,
        })}
      />
      {(reading.sheets.length > 0 || reading.remarks.length > 0) && (
        <div className="px-7 pb-3">
          {reading.sheets.length > 0 && (
            <p>
              <label>
                <Sentence
                  m="Of its {sheets, number} sheets, this is {isPending}"
                  v={{
                    sheets: reading.sheets.length,
                    isPending: (
                      <select value={(turn.isPending ? turn.variables : reading.sheet) ?? ''} onChange={(e) => turn.mutate(e.target.value)}>
                        {reading.sheets.map((s) => (
                          <option key={s}>{s}</option>
                        ))}
                      </select>
                    ),
                  }}
                />
              </label>
            </p>
          )}
          <Trouble error={turn.error} />
          {reading.remarks.map((r) => (
            <p key={r} className="text-small text-straw">
              {r}
            </p>
          ))}
        </div>
      )}
      <Stretch title={phrase('Columns')} note={phrase('what each one is taken for')} />
      <div className="px-7">
        <Trouble error={change.error} />
      </div>
      <Columns reading={reading} change={change} took={took} />
      <UnknownValues reading={reading} took={took} />
      {r && (
        <>
          <Stretch
            title={phrase('Doubts')}
            note={
              r.doubtsInAll > r.doubts.length
                ? phrase('the first {doubts, number} of {doubtsInAll, number}; all of them are in the report', {
                    doubts: r.doubts.length,
                    doubtsInAll: r.doubtsInAll,
                  })
                : r.doubtsInAll || phrase('none')
            }
          />
          {r.doubts.map((d) => (
            <div key={`${d.line}${d.field}${d.text}`} className="row">
              <span className="gutter">{phrase('row {line, number}', { line: d.line })}</span>
              <b className="font-semibold">{d.name}</b> <span className="text-small text-soft">{d.text}</span>
            </div>
          ))}
          <Stretch title={phrase('The same people')} note={r.same.length || phrase('none')} />
          {r.same.map((s) => (
            <div key={s.line} className="row">
              <span className="gutter">{phrase('row {line, number}', { line: s.line })}</span>
              <b className="font-semibold">{s.name}</b>{' '}
              <span className="text-small text-soft">
                {phrase('is {as}: {by}. {fills}', {
                  as: s.as,
                  by: s.by,
                  fills:
                    s.fills.length > 0 ? phrase('Fills {fills}.', { fills: s.fills.map(filled).join(', ') }) : phrase('Nothing to fill.'),
                })}
              </span>
            </div>
          ))}
        </>
      )}
    </DayPage>
  );
}

/** A filled field in words: “tag:VIP” is the tag VIP. */
function filled(field: string) {
  if (field.startsWith('tag:')) return phrase('the tag {field}', { field: field.slice(4) });
  if (field.startsWith('list:')) return phrase('the list {field}', { field: field.slice(5) });
  const consent = /^consent:(\w+):(in|out)$/.exec(field);
  if (consent)
    return phrase('{consent, select, true {a yes} other {a no}} to {consent2}', {
      consent: String(consent[2] === 'in'),
      consent2: consent[1],
    });
  return field.replace(/^(date|custom):/, '').replaceAll('_', ' ');
}

function Figure({ label, n, strong = false, ember = false }: { label: string; n: number; strong?: boolean; ember?: boolean }) {
  return (
    <>
      <dt className={strong ? 'font-semibold' : ''}>{label}</dt>
      <dd className={`m-0 text-right ${strong ? 'font-semibold' : ''} ${ember ? 'text-ember' : ''}`}>{n.toLocaleString(locale())}</dd>
    </>
  );
}

function Progress({ reading }: { reading: Reading }) {
  const queries = useQueryClient();
  const row = reading.import;
  const path = { params: { path: { id: row.id } } };
  const again = () => queries.invalidateQueries({ queryKey: ['import', row.id] });
  const stop = useMutation({ mutationFn: () => take(api.POST('/api/imports/{id}/stop', path)), onSuccess: again });
  const goOn = useMutation({ mutationFn: () => take(api.POST('/api/imports/{id}/start', path)), onSuccess: again });
  const undo = useMutation({
    mutationFn: () => take(api.POST('/api/imports/{id}/undo', path)),
    onSuccess: () => {
      again();
      queries.invalidateQueries({ queryKey: ['people'] });
    },
  });
  const busy = row.status === 'queued' || row.status === 'running';
  const share = row.rowsInAll > 0 ? Math.round((100 * row.rowsDone) / row.rowsInAll) : 0;
  const titles: Record<string, string> = {
    queued: phrase('Waiting its turn'),
    running: phrase('Bringing people in'),
    stopped: phrase('Stopped'),
    done: phrase('They are in'),
    failed: phrase('It could not be read'),
    undone: phrase('Undone'),
  };
  return (
    <DayPage
      marginTitle={phrase('What next')}
      margin={
        <>
          <h3>{phrase('What next')}</h3>
          <p className="mt-1">
            {busy
              ? phrase('You can leave this page; it goes on.')
              : row.status === 'done'
                ? phrase('See who is there, or write a program for them.')
                : phrase('The rows that were done are in.')}
          </p>
          <p className="mt-2 flex gap-4">
            <Link to="/people">{phrase('People')}</Link> <Link to="/programs">{phrase('Programs')}</Link>
          </p>
        </>
      }
    >
      <PageHead title={titles[row.status] ?? row.status} aside={row.fileName} />
      <div className="px-7">
        {(busy || row.status === 'stopped') && <ProgressBar share={share} label={phrase('Rows done')} className="mb-4 max-w-xl" />}
        <p className="max-w-[60ch] font-serif text-lead" role="status">
          {row.status === 'undone'
            ? phrase('Everybody this list added was taken out again, and what it filled was emptied.')
            : phrase(
                '{rowsDone, number} of {rowsInAll, number} rows: {added, plural, one {# new person} other {# new people}}, {filled, number} known with blanks filled, {unchanged, number} known with nothing to fill, {leftOut, number} left out.',
                {
                  rowsDone: row.rowsDone,
                  rowsInAll: row.rowsInAll,
                  added: row.added,
                  filled: row.filled,
                  unchanged: row.unchanged,
                  leftOut: row.leftOut,
                },
              )}
        </p>
        <Trouble error={row.error ?? stop.error ?? goOn.error ?? undo.error} />
        <div className="mt-4 flex gap-5">
          {busy && (
            <Button look="danger" onClick={() => stop.mutate()}>
              {phrase('Stop')}
            </Button>
          )}
          {row.status === 'stopped' && <Button onClick={() => goOn.mutate()}>{phrase('Go on')}</Button>}
          {row.status !== 'undone' && !busy && (
            <a className="text-small" href={`/api/imports/${row.id}/report.csv`} download>
              {phrase('Report of rows left out and doubts (CSV)')}
            </a>
          )}
          {(row.status === 'done' || row.status === 'stopped') && (
            <Button look="danger" onClick={() => undo.mutate()} disabled={undo.isPending}>
              {phrase('Undo the whole import')}
            </Button>
          )}
        </div>
      </div>
    </DayPage>
  );
}
