import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { toast } from 'sonner';
import { api, type Schemas, take } from '../../api/client';
import { useMay, useNow, useSession } from '../../app/session';
import { Button, Field, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead, Stretch } from '../../ui/DayPage';
import { money } from '../../ui/money';
import { NotShown } from '../../ui/NotShown';
import { TableBehind } from '../../ui/TableBehind';
import { moment, monthNames, monthOf } from '../../ui/when';
import { locale, phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { percent, ShareBar } from '../broadcasts/ShareBar';
import { MonthBars } from './MonthBars';
import { PeopleBehind } from './PeopleBehind';

type Numbers = Schemas['PracticeNumbersDto'];
type Row = Schemas['NumbersRow'];

/** So many months a month is compared with; the chosen one comes after them. */
const before = 12;

/** The practice's page: what changed by more than noise, then the numbers of a month beside a usual one, each with the people behind it. */
export default function PracticeResults() {
  const [address, setAddress] = useSearchParams();
  const [picked, pick] = useState<{ what: string; title: string }>();
  const query = { month: address.get('month') ?? undefined, member: address.get('member') ?? undefined };
  const found = useQuery({
    queryKey: ['results', query],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () => take(api.GET('/api/results', { params: { query } })),
  });
  const reach = useQuery({
    queryKey: ['results', 'reach', query],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () => take(api.GET('/api/results/reach', { params: { query } })),
  });
  if (!found.data) {
    return found.error ? (
      <NotShown title={phrase('Results')} error={found.error} to="/results" all={phrase('The last month')} />
    ) : (
      <Loading what={phrase('Counting')} />
    );
  }
  const numbers = found.data;
  const ask = (part: { month?: string; member?: string }) => {
    const next = new URLSearchParams(address);
    for (const [key, value] of Object.entries(part)) value ? next.set(key, value) : next.delete(key);
    setAddress(next, { replace: true });
    pick(undefined);
  };
  const behind = { month: numbers.month, member: numbers.member ?? undefined };
  return (
    <DayPage
      marginTitle={picked ? phrase('Who that is') : phrase('Which results')}
      margin={
        picked ? (
          <PeopleBehind
            title={`${picked.title}, ${monthOf(numbers.month)}`}
            queryKey={['results', 'who', behind, picked.what]}
            ask={() => take(api.GET('/api/results/who', { params: { query: { ...behind, what: picked.what } } }))}
            toList={(list) => take(api.POST('/api/results/who/list', { params: { query: behind }, body: { what: picked.what, list } }))}
            toCalls={(title) =>
              take(api.POST('/api/results/who/calls', { params: { query: behind }, body: { what: picked.what, title, on: '' } }))
            }
            about={phrase('About {month}: {title}', { month: monthOf(numbers.month), title: picked.title })}
            close={() => pick(undefined)}
          />
        ) : (
          <Margin numbers={numbers} ask={ask} />
        )
      }
    >
      <PageHead
        title={phrase('Results of {month}', { month: longMonth(numbers.month) })}
        aside={numbers.member ? <OfWhom id={numbers.member} /> : <Link to="/results/sending">{phrase('Sending')}</Link>}
      />
      <Sentences numbers={numbers} pick={pick} picked={picked?.what} />
      {numbers.tables.map((table) => (
        <Table key={table.name} table={table} numbers={numbers} pick={pick} picked={picked?.what} />
      ))}
      {reach.data ? (
        <Table table={reach.data} numbers={numbers} pick={pick} />
      ) : reach.error ? (
        <Trouble error={reach.error} />
      ) : (
        <Loading what={phrase('Asking who can be written to')} />
      )}
      <p className="px-7 pb-8 text-small text-soft max-[699px]:px-4">
        <Sentence
          m="Who may be written to today, and why not, stands under <link>May we</link>; how long stages take and what may come in, in the <link2>pipeline</link2>."
          v={{ link: (c) => <Link to="/people/consent">{c}</Link>, link2: (c) => <Link to="/pipeline">{c}</Link> }}
        />
      </p>
    </DayPage>
  );
}

const longMonth = (month: string) => `${monthNames[Number(month.slice(5)) - 1]} ${month.slice(0, 4)}`;

function OfWhom({ id }: { id: string }) {
  const name = useSession().data?.members.find((m) => m.id === id)?.name;
  return phrase('of the people {name} looks after', { name: name ?? phrase('somebody') });
}

type Pick = (what: { what: string; title: string }) => void;

/** What changed, each with its people; or that nothing did that chance would not do. */
function Sentences({ numbers, pick, picked }: { numbers: Numbers; pick: Pick; picked?: string }) {
  const titles = new Map(numbers.tables.flatMap((t) => t.rows).map((r) => [r.what, r.title]));
  return (
    <section aria-label={phrase('What changed')} className="px-7 pb-4 font-serif text-[17px] leading-relaxed max-[699px]:px-4">
      {numbers.sentences.length === 0 ? (
        <p>
          {numbers.looked === 0
            ? phrase('What changed cannot be said yet: a month is compared with those before it once there are six of them.')
            : phrase('Nothing was different from the months before by more than noise. {looked, number} numbers were looked at.', {
                looked: numbers.looked,
              })}
        </p>
      ) : (
        <ul className="m-0 list-none p-0">
          {numbers.sentences.map((s) => (
            <li key={s.what} className="py-0.5">
              {s.text}{' '}
              {s.behind && (
                <Button
                  className="!font-sans text-small"
                  aria-pressed={picked === s.what}
                  aria-label={phrase('Who that is: {what}', { what: titles.get(s.what) ?? s.what })}
                  onClick={() => pick({ what: s.what, title: titles.get(s.what) ?? '' })}
                >
                  {phrase('who')}
                </Button>
              )}
            </li>
          ))}
        </ul>
      )}
      {numbers.sentences.length > 0 && (
        <p className="mt-1 font-sans text-small text-soft">
          {phrase(
            'Of {looked, number} numbers that were looked at, these differ from the months before by more than chance and the practice’s own ups and downs make likely.',
            { looked: numbers.looked },
          )}
        </p>
      )}
    </section>
  );
}

/** A table of numbers: the chosen month, a usual one, the months as bars; all of it month by month behind. */
function Table({ table, numbers, pick, picked }: { table: Schemas['NumbersTable']; numbers: Numbers; pick: Pick; picked?: string }) {
  const query = new URLSearchParams({ table: table.name, month: numbers.month, ...(numbers.member ? { member: numbers.member } : {}) });
  return (
    <section aria-label={table.title}>
      <Stretch title={table.title} note={table.note || undefined} />
      {table.rows.length === 0 ? (
        <p className="px-7 py-2 text-soft max-[699px]:px-4">{phrase('There is nothing to count.')}</p>
      ) : (
        <>
          <table className="w-full text-small" aria-label={table.title}>
            <thead>
              <tr className="text-soft">
                <td />
                <th scope="col" className="py-1 pr-4 text-right font-normal">
                  {monthOf(numbers.month)}
                </th>
                <th scope="col" className="py-1 pr-5 text-right font-normal whitespace-nowrap">
                  {phrase('usually')}
                </th>
                <td className="w-[150px] max-[699px]:hidden" />
              </tr>
            </thead>
            <tbody>
              {table.rows.map((row) => (
                <Line key={row.what} row={row} currency={numbers.currency} pick={pick} picked={picked === row.what} />
              ))}
            </tbody>
          </table>
          <div className="flex flex-wrap items-start gap-x-8 px-7 pt-1 pb-4 max-[699px]:px-4 print:hidden">
            <div className="max-w-full overflow-x-auto">
              <TableBehind
                words={phrase('month by month, as a table')}
                heads={[phrase('month'), ...table.rows.map((r) => r.title)]}
                rows={numbers.months.map((m, i) => [
                  numbers.running && i > before ? phrase('{m}, so far', { m: monthOf(m) }) : monthOf(m),
                  ...table.rows.map((r) => said(r, i, numbers.currency)),
                ])}
              />
            </div>
            <a
              className="text-small leading-7"
              href={`/api/results/table.csv?${query}`}
              download
              aria-label={phrase('{title} as a CSV file', { title: table.title })}
            >
              {phrase('as a CSV file')}
            </a>
          </div>
        </>
      )}
    </section>
  );
}

function Line({ row, currency, pick, picked }: { row: Row; currency: string; pick: Pick; picked: boolean }) {
  const value = row.values[before];
  const shares = row.of ? row.values.map((v, i) => (row.of?.[i] ? (v ?? 0) / row.of[i] : null)) : row.values.map((v) => v ?? null);
  return (
    <tr className={`border-t border-rule ${picked ? 'bg-picked' : ''}`}>
      <th scope="row" className="py-1.5 pr-3 pl-7 text-left font-normal max-[699px]:pl-4">
        {row.title}
      </th>
      <td className="py-1.5 pr-4 text-right whitespace-nowrap tabular-nums">
        {row.behind && value ? (
          <button
            type="button"
            className="min-h-6 min-w-6 text-leaf hover:underline"
            aria-pressed={picked}
            aria-label={phrase('{title}, {row}: who that is', { title: row.title, row: said(row, before, currency) })}
            onClick={() => pick({ what: row.what, title: row.title })}
          >
            {row.line ? row.line.number.toLocaleString(locale()) : said(row, before, currency)}
          </button>
        ) : row.line ? (
          row.line.number.toLocaleString(locale())
        ) : (
          said(row, before, currency)
        )}
        {row.line && row.line.of > 0 && (
          <span className="ml-3 inline-block align-middle">
            <ShareBar line={row.line} />
          </span>
        )}
      </td>
      <td className="py-1.5 pr-5 text-right whitespace-nowrap text-soft tabular-nums">{usual(row, currency)}</td>
      <td className="py-1 max-[699px]:hidden">
        <MonthBars values={shares} chosen={before} />
      </td>
    </tr>
  );
}

/** A month of a number, as it is read. */
function said(row: Row, month: number, currency: string) {
  const value = row.values[month];
  if (value === null || value === undefined) return '–';
  if (row.kind === 'money') return money(value, currency);
  const of = row.of?.[month];
  if (of !== undefined)
    return of === 0 ? '–' : phrase('{percent} ({value, number} of {of, number})', { percent: percent(value / of), value, of });
  return value.toLocaleString(locale(), { maximumFractionDigits: 1 });
}

function usual(row: Row, currency: string) {
  if (row.usual === null || row.usual === undefined) return '–';
  if (row.kind === 'money') return money(row.usual, currency);
  return row.kind === 'share' ? percent(row.usual) : row.usual.toLocaleString(locale(), { maximumFractionDigits: row.usual < 10 ? 1 : 0 });
}

/** Which month, whose people; the letter; the page on paper. */
function Margin({ numbers, ask }: { numbers: Numbers; ask: (part: { month?: string; member?: string }) => void }) {
  const session = useSession().data;
  const { now } = useNow();
  const may = useMay('see-numbers');
  const last = new Date(`${now.slice(0, 7)}-01T00:00:00Z`);
  const months = Array.from({ length: 24 }, (_, i) => {
    const month = new Date(last);
    month.setUTCMonth(month.getUTCMonth() - 1 - i);
    return month.toISOString().slice(0, 7);
  });
  if (!months.includes(numbers.month)) months.push(numbers.month);
  const members = session?.members.filter((m) => may || m.id === session.member?.id) ?? [];
  return (
    <>
      <h3>{phrase('Which results')}</h3>
      <Field label={phrase('Month')}>
        {(id) => (
          <select id={id} className="w-full" value={numbers.month} onChange={(e) => ask({ month: e.target.value })}>
            {months.map((m) => (
              <option key={m} value={m}>
                {longMonth(m)}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label={phrase('Of the people who are looked after by')}>
        {(id) => (
          <select id={id} className="w-full" value={numbers.member ?? ''} onChange={(e) => ask({ member: e.target.value })}>
            <option value="">{phrase('everybody')}</option>
            {members.map((m) => (
              <option key={m.id} value={m.id}>
                {m.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <p className="mt-3">
        <Button onClick={() => window.print()}>{phrase('Print this page')}</Button>
      </p>
      {may && <Monthly />}
      <p className="mt-4 text-small text-soft">{phrase('Press a number to see who that is.')}</p>
    </>
  );
}

/** The numbers by mail, on the first working day of each month. */
function Monthly() {
  const { zone, now } = useNow();
  const queries = useQueryClient();
  const monthly = useQuery({ queryKey: ['monthly'], queryFn: () => take(api.GET('/api/results/monthly')) });
  const choose = useMutation({
    mutationFn: (on: boolean) => take(api.PUT('/api/results/monthly', { body: { on } })),
    onSuccess: (answer) => {
      queries.setQueryData(['monthly'], answer);
      toast(answer.on ? phrase('They come by mail from now on.') : phrase('They come by mail no more.'));
    },
  });
  if (!monthly.data) return <Trouble error={monthly.error} />;
  const { on, next, address } = monthly.data;
  return (
    <>
      <h3 className="mt-4">{phrase('By mail')}</h3>
      <p>
        {on && next
          ? phrase('They go to {address} on the first working day of each month, next {next}.', { address, next: moment(next, zone, now) })
          : phrase('The sentences and the numbers can come as plain mail on the first working day of each month.')}
      </p>
      <p className="mt-1">
        <Button disabled={choose.isPending} onClick={() => choose.mutate(!on)}>
          {on ? phrase('no more by mail') : phrase('Have them by mail')}
        </Button>
      </p>
      <Trouble error={choose.error} />
    </>
  );
}
