import { useMutation } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { type Schemas, upload } from '../../api/client';
import { Button, Trouble } from '../../ui/bits';
import { Stretch } from '../../ui/DayPage';
import { count } from '../../ui/when';

type Report = Schemas['ConsentFileDto'];

/** A ledger of consent kept elsewhere: read, shown, and added to the people who are here. */
export function ConsentFile() {
  const input = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<File>();
  const read = useMutation({ mutationFn: (f: File) => upload<Report>('/api/consent-files', f) });
  const add = useMutation({ mutationFn: (f: File) => upload<Report>('/api/consent-files?write=true', f) });
  const report = add.data ?? read.data;
  return (
    <>
      <Stretch title="Consent kept elsewhere" />
      <div className="px-7 pt-2 pb-6">
        <p>
          Who said yes and no, on what grounds and when, as a CSV file.{' '}
          <button type="button" className="say text-leaf" onClick={() => input.current?.click()}>
            Choose one
          </button>
        </p>
        <p className="mt-1 text-small text-soft">
          Columns: email or mobile, channel, purpose, topic, decision, basis, at, source, evidence. The people have to be here already.
        </p>
        <input
          ref={input}
          type="file"
          accept=".csv,.txt,.tsv,text/csv"
          className="sr-only"
          aria-label="A CSV file of consent"
          tabIndex={-1}
          onChange={(e) => {
            const chosen = e.target.files?.[0];
            if (chosen) {
              setFile(chosen);
              add.reset();
              read.mutate(chosen);
            }
            e.target.value = '';
          }}
        />
        {(read.isPending || add.isPending) && <p role="status">Reading …</p>}
        <Trouble error={read.error ?? add.error} />
        {report && <WhatItBrings report={report} name={file?.name ?? ''} />}
        {report && !report.written && report.new > 0 && file && (
          <p className="mt-3">
            <Button onClick={() => add.mutate(file)} disabled={add.isPending}>
              Add {count(report.new, 'entry', 'entries')} to the ledger
            </Button>
          </p>
        )}
      </div>
    </>
  );
}

function WhatItBrings({ report: r, name }: { report: Report; name: string }) {
  return (
    <section aria-label="What the file brings" className="mt-3" role="status">
      <p>
        <span className="font-semibold">{name}</span>: {count(r.rows, 'row', 'rows')};{' '}
        {r.written ? `${count(r.new, 'entry was', 'entries were')} added` : `${r.new} new`}, {r.known} in the ledger already,{' '}
        {count(r.problemsInAll, 'row', 'rows')} left out.
      </p>
      {r.problems.length > 0 && (
        <ul className="mt-1 list-none p-0">
          {r.problems.map((p) => (
            <li key={`${p.line}${p.text}`} className="border-t border-dotted border-rule py-1 text-small">
              <span className="text-soft">row {p.line}</span> {p.text}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
