import '@fontsource-variable/instrument-sans/wdth.css';
import '@fontsource-variable/red-hat-mono/index.css';
import '@mantine/core/styles.css';
import '@mantine/notifications/styles.css';
import '@mantine/spotlight/styles.css';
import './styles.css';
import { MantineProvider } from '@mantine/core';
import { Notifications } from '@mantine/notifications';
import { createRoot } from 'react-dom/client';
import { Provider } from 'react-redux';
import { createBrowserRouter, RouterProvider } from 'react-router';
import { CastPage } from './cast/CastPage.tsx';
import { Frame } from './Frame.tsx';
import { NotHere } from './shared/NotHere.tsx';
import { store } from './store/store.ts';
import { theme, variables } from './theme.ts';

const router = createBrowserRouter([
  {
    element: <Frame />,
    errorElement: <NotHere />,
    HydrateFallback: () => null,
    children: [
      { path: '/', element: <CastPage /> },
      // Heavy pages come when they are asked for: three.js, charts.
      {
        path: '/c/:characterId/:targetId?/:station?',
        lazy: async () => ({ Component: (await import('./desk/Desk.tsx')).Desk }),
      },
      {
        path: '/targets/:targetId?',
        lazy: async () => ({ Component: (await import('./targets/TargetsPage.tsx')).TargetsPage }),
      },
      {
        path: '/figures/:figureId?',
        lazy: async () => ({ Component: (await import('./figures/FiguresPage.tsx')).FiguresPage }),
      },
      {
        path: '/recipes/:recipeId?',
        lazy: async () => ({ Component: (await import('./recipes/RecipesPage.tsx')).RecipesPage }),
      },
      { path: '/matrix', lazy: async () => ({ Component: (await import('./matrix/MatrixPage.tsx')).MatrixPage }) },
      { path: '/runs', lazy: async () => ({ Component: (await import('./runs/RunsPage.tsx')).RunsPage }) },
      {
        path: '/report/:runId',
        lazy: async () => ({ Component: (await import('./report/ReportPage.tsx')).ReportPage }),
      },
      {
        path: '/proving/:runId?',
        lazy: async () => ({ Component: (await import('./proving/ProvingPage.tsx')).ProvingPage }),
      },
      { path: '*', element: <NotHere /> },
    ],
  },
]);

createRoot(document.getElementById('root') as HTMLElement).render(
  <Provider store={store}>
    <MantineProvider theme={theme} cssVariablesResolver={variables} defaultColorScheme="dark">
      <Notifications position="bottom-right" />
      <RouterProvider router={router} />
    </MantineProvider>
  </Provider>,
);
