import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { createBrowserRouter, RouterProvider } from 'react-router'
import { Problem } from './shared/api'
import { Frame } from './Frame'
import './theme.css'

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      retry: (failures, error) => failures < 2 && !(error instanceof Problem && error.status >= 400 && error.status < 500),
    },
  },
})

const router = createBrowserRouter([
  {
    HydrateFallback: () => null,
    children: [
      { path: '/first', lazy: async () => ({ Component: (await import('./pages/sign-in/First')).First }) },
      { path: '/shared/:link', lazy: async () => ({ Component: (await import('./pages/report/SharedPage')).SharedPage }) },
      { path: '/sign-in', lazy: async () => ({ Component: (await import('./pages/sign-in/SignIn')).SignIn }) },
      {
        path: '/',
        Component: Frame,
        children: [
          { index: true, lazy: async () => ({ Component: (await import('./pages/batches/Batches')).Batches }) },
          { path: 'batches/:id', lazy: async () => ({ Component: (await import('./pages/batch/BatchPage')).BatchPage }) },
          { path: 'parts/:id', lazy: async () => ({ Component: (await import('./pages/part/PartPage')).PartPage }) },
          { path: 'parts/:id/compare', lazy: async () => ({ Component: (await import('./pages/compare/ComparePage')).ComparePage }) },
          { path: 'parts/:id/report', lazy: async () => ({ Component: (await import('./pages/report/ReportPage')).ReportPage }) },
          { path: 'search', lazy: async () => ({ Component: (await import('./pages/search/Search')).Search }) },
          { path: 'people', lazy: async () => ({ Component: (await import('./pages/people/People')).People }) },
          { path: 'trail', lazy: async () => ({ Component: (await import('./pages/trail/TrailPage')).TrailPage }) },
          { path: 'insights', lazy: async () => ({ Component: (await import('./pages/insights/Insights')).Insights }) },
          { path: 'jobs', lazy: async () => ({ Component: (await import('./pages/jobs/Jobs')).Jobs }) },
          { path: 'processes', lazy: async () => ({ Component: (await import('./pages/processes/Processes')).Processes }) },
          { path: 'interface', lazy: async () => ({ Component: (await import('./pages/help/Interface')).Interface }) },
          { path: 'help', lazy: async () => ({ Component: (await import('./pages/help/Help')).Help }) },
          { path: 'glossary', lazy: async () => ({ Component: (await import('./pages/glossary/Glossary')).Glossary }) },
          { path: '*', Component: () => <p className="p-8">There is no such page.</p> },
        ],
      },
    ],
  },
])

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  </StrictMode>,
)
