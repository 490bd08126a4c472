import '@fontsource-variable/hanken-grotesk';
import '@mantine/core/styles.css';
import '@mantine/notifications/styles.css';
import '@mantine/spotlight/styles.css';
import './styles.css';

import { MantineProvider } from '@mantine/core';
import { Notifications } from '@mantine/notifications';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { createRoot } from 'react-dom/client';

import { App } from './App';
import { theme } from './theme';

const client = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: true } } });

createRoot(document.getElementById('root') as HTMLElement).render(
  <MantineProvider theme={theme} defaultColorScheme="light">
    <Notifications position="bottom-left" containerWidth={380} />
    <QueryClientProvider client={client}>
      <App />
    </QueryClientProvider>
  </MantineProvider>,
);
