import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { createRoot } from 'react-dom/client';
import { ApiError } from './api/client';
import { App } from './app/App';
import './index.css';

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      retry: (failures, error) => failures < 2 && !(error instanceof ApiError && error.status >= 400),
    },
  },
});

// biome-ignore lint/style/noNonNullAssertion: index.html has it.
createRoot(document.getElementById('root')!).render(
  <QueryClientProvider client={queries}>
    <App />
  </QueryClientProvider>,
);
