// @vitest-environment jsdom
import { render, screen } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import { Letter } from './Letter';

test('a letter stands in a frame without scripts, forms, windows or a way out, with rules of its own', () => {
  // jsdom lays nothing out.
  vi.stubGlobal(
    'ResizeObserver',
    class {
      observe() {}
    },
  );
  render(<Letter html='<p>Good day, <a href="https://example.com/no">no more</a></p>' title="What it says" />);
  const frame = screen.getByTitle('What it says');
  expect(frame.getAttribute('sandbox')).toBe('allow-same-origin');
  const page = frame.getAttribute('srcdoc') ?? '';
  expect(page.indexOf('Content-Security-Policy')).toBeGreaterThan(0);
  expect(page.indexOf('Content-Security-Policy')).toBeLessThan(page.indexOf('Good day'));
  expect(page).toMatch(/default-src 'none'/);
  expect(page).not.toMatch(/script-src|connect-src|form-action/);
});
