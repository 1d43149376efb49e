import { useState, type FormEvent } from 'react'
import { useNavigate } from 'react-router'
import { post } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'

/** First makes the first administrator, by the code that the service printed when it started. */
export function First() {
  const [code, setCode] = useState('')
  const [name, setName] = useState('')
  const [password, setPassword] = useState('')
  const [error, setError] = useState<unknown>()
  const go = useNavigate()
  async function submit(e: FormEvent) {
    e.preventDefault()
    setError(undefined)
    try {
      await post('/first', { code, name, password })
      await post('/session', { name, password })
      go('/', { replace: true })
    } catch (problem) {
      setError(problem)
    }
  }
  const field = (id: string, label: string, value: string, set: (s: string) => void, kind = 'text', fill = 'off') => (
    <label className="mb-4 block text-sm">
      <span className="mb-1 block">{label}</span>
      <input id={id} type={kind} className="input w-full" autoComplete={fill} value={value} onChange={(e) => set(e.target.value)} />
    </label>
  )
  return (
    <div className="grid h-full place-items-center bg-brand">
      <form onSubmit={submit} className="w-96 rounded-box bg-base-100 p-8 text-base-content shadow-xl">
        <h1 className="text-2xl font-semibold">Veneer</h1>
        <p className="mb-6 text-sm opacity-70">Nobody has an account yet. The service printed a code when it started: with it you become the administrator.</p>
        {field('code', 'Code', code, setCode)}
        {field('name', 'Your name', name, setName, 'text', 'username')}
        {field('password', 'A password of at least 8 characters', password, setPassword, 'password', 'new-password')}
        <Trouble error={error} />
        <button className="btn btn-primary w-full" disabled={!code.trim() || !name.trim() || password.length < 8}>Begin</button>
      </form>
    </div>
  )
}
