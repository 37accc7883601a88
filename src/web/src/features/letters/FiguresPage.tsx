import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { toast } from 'sonner';
import { api, type Schemas, take, upload } from '../../api/client';
import { Button, Empty, Field, fieldError, Loading, Trouble } from '../../ui/bits';
import { DayPage, PageHead } from '../../ui/DayPage';
import { Scrolls } from '../../ui/Scrolls';
import { monthOf } from '../../ui/when';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';
import { KeptLinks, Uses } from './KeptLinks';

type Line = Schemas['FigureTableLine'];

/** Tables of numbers by area and month, which letters take their reader's area from. */
export default function FiguresPage() {
  const tables = useQuery({ queryKey: ['figures'], queryFn: () => take(api.GET('/api/figures')) });
  const [open, setOpen] = useState<string>();
  return (
    <DayPage
      marginTitle={phrase('A new table')}
      margin={
        <>
          <NewTable made={setOpen} />
          <p className="mt-5">
            <Sentence
              m="A list brought in has the columns <i>area</i>, <i>month</i> and one for each thing measured. Next month’s list is brought in the same way: numbers that are there are replaced, all others stay."
              v={{ i: (c) => <i>{c}</i> }}
            />
          </p>
          {/* biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by key */}
          <pre tabIndex={0} className="mt-3 overflow-x-auto text-[12px]">
            {phrase('area,month,median price\nPort Avery,2027-01,"$412,000"\nPort Avery,2027-02,"$415,500"')}
          </pre>
        </>
      }
    >
      <PageHead title={phrase('Figures')} aside={<KeptLinks />} />
      {tables.error && (
        <div className="px-7">
          <Trouble error={tables.error} />
        </div>
      )}
      {!tables.data ? (
        <Loading />
      ) : tables.data.length === 0 ? (
        <Empty>{phrase('There are none yet. Name a table at the right, and bring its numbers in.')}</Empty>
      ) : (
        <ul className="m-0 list-none p-0" aria-label={phrase('Tables of figures')}>
          {tables.data.map((t) => (
            <li key={t.id} className={`row ${open === t.id ? 'on' : ''}`}>
              <span className="gutter">{t.newest ? monthOf(t.newest) : phrase('no numbers')}</span>
              <button
                type="button"
                className="min-h-6 text-left font-semibold hover:underline"
                aria-expanded={open === t.id}
                onClick={() => setOpen(open === t.id ? undefined : t.id)}
              >
                {t.name}
              </button>
              <span className="block text-small text-soft">
                {t.areas.length > 0
                  ? phrase('{areas, plural, one {# area} other {# areas}}: {areas2}{areas3} · {measures}', {
                      areas: t.areas.length,
                      areas2: t.areas.slice(0, 6).join(', '),
                      areas3: t.areas.length > 6 ? ' …' : '',
                      measures: t.measures.map((m) => m.name).join(', '),
                    })
                  : phrase('Bring its numbers in.')}
              </span>
              <Uses uses={t.uses} />
              {open === t.id && <Table line={t} closed={() => setOpen(undefined)} />}
            </li>
          ))}
        </ul>
      )}
    </DayPage>
  );
}

function NewTable({ made }: { made: (id: string) => void }) {
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const create = useMutation({
    mutationFn: () => take(api.POST('/api/figures', { body: { name } })),
    onSuccess: (table) => {
      queries.invalidateQueries({ queryKey: ['figures'] });
      setName('');
      made(table.id);
    },
  });
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        create.mutate();
      }}
    >
      <Field label={phrase('A new table, called')} error={fieldError(create.error, 'name')}>
        {(id, by) => (
          <input
            id={id}
            aria-describedby={by}
            required
            maxLength={80}
            className="w-full"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        )}
      </Field>
      {!fieldError(create.error, 'name') && <Trouble error={create.error} />}
      <Button type="submit" look="main" disabled={!name.trim() || create.isPending}>
        {phrase('Keep it')}
      </Button>
    </form>
  );
}

/** A table: its numbers by area with their changes, bringing more in, and what stands around them. */
function Table({ line, closed }: { line: Line; closed: () => void }) {
  const queries = useQueryClient();
  const file = useRef<HTMLInputElement>(null);
  const [name, setName] = useState(line.name);
  const [around, setAround] = useState<Record<string, { before?: string; after?: string }>>({});
  const measures = line.measures.map((m) => ({ ...m, ...around[m.name] }));
  const [taken, setTaken] = useState<Schemas['FiguresTaken']>();
  const table = useQuery({
    queryKey: ['figure', line.id],
    queryFn: () => take(api.GET('/api/figures/{id}', { params: { path: { id: line.id } } })),
  });
  const again = () => {
    queries.invalidateQueries({ queryKey: ['figures'] });
    queries.invalidateQueries({ queryKey: ['figure', line.id] });
  };
  const bring = useMutation({
    mutationFn: (chosen: File) => upload<Schemas['FiguresTaken']>(`/api/figures/${line.id}/numbers`, chosen),
    onSuccess: (came) => {
      setTaken(came);
      again();
    },
  });
  const save = useMutation({
    mutationFn: () => take(api.PUT('/api/figures/{id}', { params: { path: { id: line.id } }, body: { name, measures } })),
    onSuccess: () => {
      again();
      toast(phrase('“{name}” is kept.', { name: name.trim() }));
    },
  });
  const remove = useMutation({
    mutationFn: () => take(api.DELETE('/api/figures/{id}', { params: { path: { id: line.id } } })),
    onSuccess: () => {
      closed();
      queries.invalidateQueries({ queryKey: ['figures'] });
    },
  });
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: a file may be dropped anywhere on it; the button beside does the same
    <div
      className="my-2"
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        const dropped = e.dataTransfer.files[0];
        if (dropped) bring.mutate(dropped);
      }}
    >
      <p className="flex flex-wrap gap-x-5 text-small">
        <Button className="min-h-6" disabled={bring.isPending} onClick={() => file.current?.click()}>
          {bring.isPending ? phrase('Reading …') : phrase('Bring numbers in')}
        </Button>
        <a href={`/api/figures/${line.id}/numbers.csv`} download className="inline-flex min-h-6 items-center">
          {phrase('as a list')}
        </a>
        <a href={line.address} target="_blank" rel="noreferrer" className="inline-flex min-h-6 items-center">
          {phrase('its page, for readers')}
        </a>
        <input
          ref={file}
          type="file"
          accept=".csv,.xlsx,.ods,text/csv"
          className="sr-only"
          aria-label={phrase('A list of figures')}
          tabIndex={-1}
          onChange={(e) => {
            const chosen = e.target.files?.[0];
            e.target.value = '';
            if (chosen) bring.mutate(chosen);
          }}
        />
      </p>
      <Trouble error={bring.error} />
      {taken && taken.troubles.length === 0 && (
        <p role="status" className="text-small">
          {phrase('{numbers, plural, one {# number is} other {# numbers are}} in{changed}.', {
            numbers: taken.numbers,
            changed: taken.changed > 0 ? phrase('; {changed, number} stood otherwise before', { changed: taken.changed }) : '',
          })}
        </p>
      )}
      {taken && taken.troubles.length > 0 && (
        <div role="alert" className="text-small text-ember">
          <p>{phrase('Nothing was taken in; put this right and bring the list again:')}</p>
          <ul className="m-0 list-none p-0">
            {taken.troubles.map((t) => (
              <li key={`${t.line} ${t.message}`}>{phrase('Line {line, number}: {message}', { line: t.line, message: t.message })}</li>
            ))}
          </ul>
        </div>
      )}
      {table.data && table.data.areas.length > 0 && (
        <Scrolls label={phrase('The numbers of {name}', { name: line.name })} className="my-2 max-h-96">
          <table className="w-full text-small">
            <thead>
              <tr>
                {[phrase('Area'), phrase('Month'), phrase('What'), phrase('Number'), phrase('In a month'), phrase('In a year')].map(
                  (h, i) => (
                    <th key={h} scope="col" className={`pr-4 font-semibold ${i > 2 ? 'text-right' : 'text-left'}`}>
                      {h}
                    </th>
                  ),
                )}
              </tr>
            </thead>
            <tbody>
              {table.data.areas.flatMap((a) =>
                a.readings.map((r, i) => (
                  <tr key={`${a.area} ${r.measure}`} className="border-t border-dotted border-rule">
                    <td className="pr-4">{i === 0 ? a.area : ''}</td>
                    <td className="pr-4">{i === 0 ? monthOf(a.month) : ''}</td>
                    <td className="pr-4">{r.measure}</td>
                    <td className="pr-4 text-right tabular-nums">{r.value}</td>
                    <td className="pr-4 text-right">{r.onMonth ?? '–'}</td>
                    <td className="pr-4 text-right">{r.onYear ?? '–'}</td>
                  </tr>
                )),
              )}
            </tbody>
          </table>
        </Scrolls>
      )}
      <form
        className="max-w-[560px]"
        aria-label={phrase('The table {line}', { line: line.name })}
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate();
        }}
      >
        <Field label={phrase('What it is called')} error={fieldError(save.error, 'name')}>
          {(id, by) => (
            <input
              id={id}
              aria-describedby={by}
              required
              maxLength={80}
              className="w-72 max-w-full"
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
          )}
        </Field>
        {measures.map((m) => (
          <p key={m.name} className="mb-1 flex flex-wrap items-baseline gap-2 text-small">
            {(['before', 'after'] as const).map((side) => (
              <input
                key={side}
                aria-label={phrase('What stands {side} a number of {name}', { side, name: m.name })}
                maxLength={side === 'before' ? 8 : 12}
                className={`w-20 ${side === 'after' ? 'order-2' : ''}`}
                value={m[side]}
                onChange={(e) => setAround({ ...around, [m.name]: { ...around[m.name], [side]: e.target.value } })}
              />
            ))}
            <span className="order-1">{m.name}</span>
          </p>
        ))}
        {fieldError(save.error, 'measures') && <Trouble error={save.error} />}
        <Trouble error={remove.error} />
        <p className="mt-2 flex flex-wrap gap-x-5">
          <Button type="submit" disabled={save.isPending}>
            {phrase('Keep it so')}
          </Button>
          <Button look="danger" disabled={remove.isPending} onClick={() => remove.mutate()}>
            {phrase('Throw it away')}
          </Button>
        </p>
      </form>
    </div>
  );
}
