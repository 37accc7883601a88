// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { MemoryRouter, useNavigate } from 'react-router';
import { afterEach, expect, test, vi } from 'vitest';
import { changeTongue } from '../words/locale';
import { useTongue } from './useTongue';

vi.mock('../words/locale', () => ({ changeTongue: vi.fn() }));
afterEach(cleanup);

function Gate() {
  useTongue('en-US');
  const go = useNavigate();
  return (
    <button type="button" onClick={() => go('/', { replace: true })}>
      in
    </button>
  );
}

test.each(['/join?key=spent', '/sign-in', '/keep?key=spent', '/begin?key=spent'])(
  'at %s nothing is loaded anew; it is once one is in',
  (door) => {
    vi.mocked(changeTongue).mockClear();
    render(
      <MemoryRouter initialEntries={[door]}>
        <Gate />
      </MemoryRouter>,
    );
    expect(changeTongue).not.toHaveBeenCalled();
    fireEvent.click(screen.getByText('in'));
    expect(changeTongue).toHaveBeenCalledWith('en-US');
  },
);
