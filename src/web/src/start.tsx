import { registerSW } from 'virtual:pwa-register';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { createRoot } from 'react-dom/client';
import { ApiError } from './api/client';
import { App } from './app/App';
import { keepForOffline } from './app/offline';
import { knowSheetActs } from './features/today/sheetActs';

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      retry: (failures, error) => failures < 2 && !(error instanceof ApiError && error.status >= 400),
    },
  },
});

knowSheetActs(queries);
keepForOffline(queries);
registerSW({ immediate: true });

// biome-ignore lint/style/noNonNullAssertion: index.html has it.
createRoot(document.getElementById('root')!).render(
  <QueryClientProvider client={queries}>
    <App />
  </QueryClientProvider>,
);
