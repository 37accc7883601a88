import { type ReactNode, useId } from 'react';
import { useTitle } from '../../ui/DayPage';
import { TouchLine } from '../../ui/TouchLine';
import { phrase } from '../../words/phrase';

const line = [0, 7, 10, 17, 24, 31, 38, 45, 54, 66, 77, 88].map((day) => ({
  day,
  kind: day === 7 || day === 45 ? 'call' : 'email',
  state: day < 10 ? ('past' as const) : ('coming' as const),
}));

/** The first page of the day book, for whoever is not signed in: a line of what it is, a form, and words in its margin. */
export function FirstPage({
  title = 'Germinal',
  lead,
  margin,
  children,
}: {
  title?: string;
  lead: string;
  margin?: ReactNode;
  children: ReactNode;
}) {
  const label = useId();
  useTitle(title === 'Germinal' ? phrase('Sign in') : title);
  return (
    <div className="grid min-h-screen grid-cols-[112px_minmax(0,1fr)_344px] max-[1099px]:grid-cols-[minmax(0,1fr)]">
      <div className="max-[1099px]:hidden" />
      <main className="border-x border-rule bg-sheet px-[8%] pt-[12vh] pb-12" aria-labelledby={label}>
        <h1 id={label} className="!text-[44px] max-[699px]:!text-[32px]">
          {title}
        </h1>
        <p className="mt-3 max-w-[46ch] font-serif text-lead text-soft">{lead}</p>
        <div className="mt-8 max-w-[720px]">
          <TouchLine marks={line} now={9} />
        </div>
        {children}
      </main>
      <aside className="p-6 pt-[12vh] text-small text-soft max-[1099px]:hidden">{margin}</aside>
    </div>
  );
}
