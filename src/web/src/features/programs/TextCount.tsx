import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { api, take } from '../../api/client';
import { money } from '../../ui/money';
import { count } from '../../ui/when';

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
      {count(characters, 'character', 'characters')}, {encoding}, sent as {count(parts, 'part', 'parts')}
      {prices && prices.textPart > 0 && `, ${money(prices.textPart * parts, prices.currency)}`}
      {beyond && ` because of ${[...beyond].join(' ')}`}
      {lack && <span className="block text-straw">For this person: {lack}.</span>}
    </p>
  );
}
