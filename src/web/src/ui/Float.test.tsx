// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { Popover } from 'radix-ui';
import { useState } from 'react';
import { afterEach, expect, it, vi } from 'vitest';
import { Float } from './Float';

// What the popover is placed with; jsdom has none.
vi.stubGlobal(
  'ResizeObserver',
  class {
    observe() {}
    unobserve() {}
    disconnect() {}
  },
);

afterEach(cleanup);

function Page() {
  const [open, setOpen] = useState(true);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger>open</Popover.Trigger>
      <Float open={open} close={() => setOpen(false)} aria-label="Words">
        <input aria-label="Name" />
      </Float>
    </Popover.Root>
  );
}

const pressEscape = () => fireEvent.keyDown(document.activeElement ?? document.body, { key: 'Escape' });

it('closes at once where nothing was typed', () => {
  render(<Page />);
  pressEscape();
  expect(screen.queryByLabelText('Name')).toBeNull();
});

it('asks before what was typed is thrown away, and keeps it', () => {
  render(<Page />);
  fireEvent.input(screen.getByLabelText('Name'), { target: { value: 'Ida' } });
  pressEscape();
  expect(screen.getByRole('alert').textContent).toContain('not used yet');
  fireEvent.click(screen.getByText('Go on writing'));
  expect((screen.getByLabelText('Name') as HTMLInputElement).value).toBe('Ida');
  pressEscape();
  fireEvent.click(screen.getByText('Throw it away'));
  expect(screen.queryByLabelText('Name')).toBeNull();
});

it('takes a second Escape for a yes', () => {
  render(<Page />);
  fireEvent.input(screen.getByLabelText('Name'), { target: { value: 'Ida' } });
  pressEscape();
  pressEscape();
  expect(screen.queryByLabelText('Name')).toBeNull();
});
