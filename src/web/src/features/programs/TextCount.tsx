import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { api, take } from '../../api/client';
import { money } from '../../ui/money';
import { phrase } from '../../words/phrase';
import { Sentence } from '../../words/Sentence';

/** How long a text is as the person in the margin would get it, while it is written: characters, encoding, parts. */
export function TextCount({ text, person }: { text: string; person?: string }) {
  const [asked, setAsked] = useState(text);
  // As one types, with a breath in between.
  useEffect(() => {
    const timer = setTimeout(() => setAsked(text), 200);
    return () => clearTimeout(timer);
  }, [text]);
  const length = useQuery({
    queryKey: ['text-length', asked, person],
    queryFn: () => take(api.POST('/api/programs/text-length', { body: { text: asked, person: person ?? null } })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const prices = useQuery({ queryKey: ['practice'], queryFn: () => take(api.GET('/api/practice')) }).data?.prices;
  if (!length.data) return null;
  const { characters, encoding, parts, beyond, lack } = length.data;
  return (
    <p className="-mt-2 mb-3 text-small text-soft" role="status">
      <Sentence
        m="{characters, plural, one {# character} other {# characters}}, {encoding}, sent as {parts, plural, one {# part} other {# parts}}{prices}{beyond}{lack}"
        v={{
          characters,
          encoding,
          parts,
          prices: prices && prices.textPart > 0 && `, ${money(prices.textPart * parts, prices.currency)}`,
          beyond: beyond && phrase(' because of {value}', { value: [...beyond].join(' ') }),
          lack: lack && <span className="block text-straw">{phrase('For this person: {lack}.', { lack })}</span>,
        }}
      />
    </p>
  );
}
