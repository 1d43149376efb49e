import { useEffect, useState, type FormEvent } from 'react'
import { useQueryClient } from '@tanstack/react-query'
import { useLocation, useNavigate } from 'react-router'
import { get, post } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'

export function SignIn() {
  const [name, setName] = useState('')
  const [password, setPassword] = useState('')
  const [error, setError] = useState<unknown>()
  const [busy, setBusy] = useState(false)
  const queries = useQueryClient()
  const go = useNavigate()
  const from = (useLocation().state as { from?: string } | null)?.from ?? '/'

  useEffect(() => { // nobody has an account yet: the first one makes theirs
    get<{ first: boolean }>('/first').then((w) => w.first && go('/first', { replace: true }), () => {})
  }, [])

  async function submit(e: FormEvent) {
    e.preventDefault()
    setBusy(true)
    setError(undefined)
    try {
      await post('/session', { name, password })
      queries.clear()
      go(from, { replace: true })
    } catch (problem) {
      setError(problem)
      setBusy(false)
    }
  }

  return (
    <div className="grid h-full place-items-center bg-brand">
      <form onSubmit={submit} className="w-96 rounded-box bg-base-100 p-8 text-base-content shadow-xl">
        <h1 className="text-2xl font-semibold">Veneer</h1>
        <p className="mb-6 text-sm opacity-70">Does it print? And if not, why?</p>
        <label className="mb-4 block text-sm">
          <span className="mb-1 block">Name</span>
          <input id="name" className="input w-full" autoComplete="username" autoFocus value={name} onChange={(e) => setName(e.target.value)} />
        </label>
        <label className="mb-6 block text-sm">
          <span className="mb-1 block">Password</span>
          <input id="password" type="password" className="input w-full" autoComplete="current-password" value={password} onChange={(e) => setPassword(e.target.value)} />
        </label>
        <Trouble error={error} />
        <button className="btn btn-primary w-full" disabled={busy || !name || !password}>
          Sign in
        </button>
      </form>
    </div>
  )
}
