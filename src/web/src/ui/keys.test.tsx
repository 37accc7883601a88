// @vitest-environment jsdom
import { QueryClient, QueryClientProvider, useMutation } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react';
import { afterEach, expect, test, vi } from 'vitest';
import { Dial } from './bits';
import { DayPage } from './DayPage';
import { useKeys, useSaveKey, useUndoKey } from './keys';
import { said } from './undo';

afterEach(cleanup);

function Sheet({ opened }: { opened: () => void }) {
  useKeys({ Enter: opened });
  return (
    <>
      <button type="button" data-pick>
        a line
      </button>
      <button type="button">read them all</button>
    </>
  );
}

test('Enter on a picked line is the page’s; on any other button it presses that button', () => {
  const opened = vi.fn();
  render(<Sheet opened={opened} />);
  const other = fireEvent.keyDown(screen.getByText('read them all'), { key: 'Enter' });
  expect([opened.mock.calls.length, other]).toEqual([0, true]);
  const line = fireEvent.keyDown(screen.getByText('a line'), { key: 'Enter' });
  expect([opened.mock.calls.length, line]).toEqual([1, false]);
});

function Boxes({ gone }: { gone: () => void }) {
  useKeys({ j: gone });
  return (
    <>
      <input type="checkbox" aria-label="a box of a line" />
      <form>
        <input type="checkbox" aria-label="a box of a form" />
      </form>
      <div role="dialog" aria-label="what floats">
        <input type="checkbox" aria-label="a box that floats" />
      </div>
      <input aria-label="a field" />
    </>
  );
}

test('nobody types into the box of a line: keys go on from there; a form’s box and a field are written in', () => {
  const gone = vi.fn();
  render(<Boxes gone={gone} />);
  for (const label of ['a box of a form', 'a box that floats', 'a field']) fireEvent.keyDown(screen.getByLabelText(label), { key: 'j' });
  expect(gone.mock.calls.length).toBe(0);
  fireEvent.keyDown(screen.getByLabelText('a box of a line'), { key: 'j' });
  expect(gone.mock.calls.length).toBe(1);
});

test('the margin that slides over takes the focus and gives it back', () => {
  render(
    <DayPage marginTitle="Why" margin={<p>because</p>}>
      text
    </DayPage>,
  );
  const opener = screen.getByRole('button', { name: 'Why' });
  fireEvent.click(opener);
  const sheet = screen.getByRole('complementary', { name: 'Why' });
  expect(document.activeElement).toBe(sheet);
  fireEvent.keyDown(sheet, { key: 'Escape' });
  expect(document.activeElement).toBe(screen.getByRole('button', { name: 'Why' }));
});

test('a number dials, with its extension', () => {
  render(<Dial number="+12075550142" extension="12" />);
  expect(screen.getByRole('link').getAttribute('href')).toBe('tel:+12075550142;ext=12');
});

function Note({ saved }: { saved: (words: string) => void }) {
  useSaveKey();
  return (
    <>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          saved(String(new FormData(e.currentTarget).get('words')));
        }}
      >
        <textarea name="words" aria-label="Remark" defaultValue="called back" />
        <button type="submit">Write</button>
      </form>
      <input aria-label="elsewhere" />
    </>
  );
}

test('Ctrl+Enter saves what one writes, and does nothing where nothing is written', () => {
  const saved = vi.fn();
  render(<Note saved={saved} />);
  fireEvent.keyDown(screen.getByLabelText('Remark'), { key: 'Enter' });
  fireEvent.keyDown(screen.getByLabelText('elsewhere'), { key: 'Enter', ctrlKey: true });
  expect(saved).not.toHaveBeenCalled();
  fireEvent.keyDown(screen.getByLabelText('Remark'), { key: 'Enter', ctrlKey: true });
  expect(saved.mock.calls).toEqual([['called back']]);
});

function Marks({ arrival, takenBack }: { arrival: Promise<void>; takenBack: () => Promise<void> }) {
  useUndoKey();
  const mark = useMutation({ mutationFn: () => arrival, onSuccess: () => said('marked', takenBack) });
  return (
    <button type="button" onClick={() => mark.mutate()}>
      mark
    </button>
  );
}

test('Ctrl+Z right after a key takes back what that key did, though it was still on its way', async () => {
  const takenBack = vi.fn(async () => {});
  let arrive = () => {};
  const arrival = new Promise<void>((resolve) => {
    arrive = resolve;
  });
  render(
    <QueryClientProvider client={new QueryClient()}>
      <Marks arrival={arrival} takenBack={takenBack} />
    </QueryClientProvider>,
  );
  fireEvent.click(screen.getByText('mark'));
  fireEvent.keyDown(window, { key: 'z', ctrlKey: true });
  expect(takenBack).not.toHaveBeenCalled();
  arrive();
  await waitFor(() => expect(takenBack).toHaveBeenCalledOnce());
});
