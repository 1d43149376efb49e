import { useEffect, useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, NavLink, Outlet, useLocation, useNavigate } from 'react-router'
import { get, Problem, signOut, type Person } from './shared/api'
import { useKeys } from './shared/keys'
import { Trouble } from './shared/Trouble'

/** Frame is what every page has around it; it sends those who are not signed in to do so. */
export function Frame() {
  const me = useQuery({ queryKey: ['session'], queryFn: () => get<Person>('/session'), staleTime: 60_000 })
  const go = useNavigate()
  const here = useLocation()
  useKeys({ '?': () => go('/help'), g: () => go('/'), '/': () => go('/search'), j: () => go('/jobs'), e: () => go('/glossary') })
  const away = me.error instanceof Problem && me.error.status === 401
  useEffect(() => {
    if (away) go('/sign-in', { replace: true, state: { from: here.pathname + here.search } })
  }, [away])
  if (me.isPending || away) return null
  if (me.error) return <div className="p-6"><Trouble error={me.error} retry={() => me.refetch()} /></div>
  return (
    <div className="flex h-full flex-col bg-base-200 text-base-content">
      <header className="flex h-12 shrink-0 items-center gap-6 bg-brand px-5 text-brand-content">
        <Link to="/" className="flex items-center gap-2 font-semibold tracking-wide">
          <Waves /> Veneer
        </Link>
        <nav className="flex gap-1 text-sm" aria-label="Pages">
          <Tab to="/">Batches</Tab>
          <Tab to="/search">Search</Tab>
          <Tab to="/insights">Insights</Tab>
          <Tab to="/jobs">Jobs</Tab>
          <Tab to="/glossary">Findings explained</Tab>
          <Tab to="/processes">Processes</Tab>
          <Tab to="/help">Keys</Tab>
        </nav>
        <div className="ml-auto flex items-center gap-4 text-sm">
          <Light />
          <NavLink to="/people" className="rounded-field px-2 py-1 hover:bg-brand-content/10" title={me.data.role}>{me.data.name}</NavLink>
          <SignOut />
        </div>
      </header>
      <main className="min-h-0 flex-1 overflow-auto">
        <Outlet />
      </main>
    </div>
  )
}

function Tab({ to, children }: { to: string; children: string }) {
  return (
    <NavLink to={to} end className={({ isActive }) => `rounded-field px-3 py-1 ${isActive ? 'bg-brand-content/15' : 'hover:bg-brand-content/10'}`}>
      {children}
    </NavLink>
  )
}

function Waves() {
  return (
    <svg viewBox="0 0 32 32" className="size-6" aria-hidden>
      <path d="M4 9c6-4 9 4 14 1s6-4 9-3M4 16c6-4 9 4 14 1s6-4 9-3M4 23c6-4 9 4 14 1s6-4 9-3" fill="none" stroke="currentColor" strokeWidth="2.4" strokeLinecap="round" />
    </svg>
  )
}

function SignOut() {
  const queries = useQueryClient()
  const go = useNavigate()
  return (
    <button
      className="rounded-field px-2 py-1 hover:bg-brand-content/10"
      onClick={async () => {
        await signOut()
        queries.clear()
        go('/sign-in')
      }}
    >
      Sign out
    </button>
  )
}

/** Light switches between the light and the dark theme, and remembers it. */
function Light() {
  const [theme, setTheme] = useState(() => localStorage.getItem('theme') ?? '')
  useEffect(() => {
    if (theme) document.documentElement.dataset.theme = theme
    else delete document.documentElement.dataset.theme
  }, [theme])
  const dark = theme === 'flood' || (!theme && matchMedia('(prefers-color-scheme: dark)').matches)
  return (
    <button
      className="rounded-field px-2 py-1 hover:bg-brand-content/10"
      onClick={() => {
        const next = dark ? 'ebb' : 'flood'
        localStorage.setItem('theme', next)
        setTheme(next)
      }}
    >
      {dark ? 'Light' : 'Dark'}
    </button>
  )
}
