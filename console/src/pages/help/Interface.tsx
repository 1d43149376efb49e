import { useQuery } from '@tanstack/react-query'
import { get } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'

interface Operation {
  summary: string
  'x-least-role'?: string
  parameters?: { name: string; in: string; description?: string }[]
  requestBody?: { content: Record<string, { example?: unknown; schema: { properties?: Record<string, { description?: string }> } }> }
}

/** Interface reads the description of the network interface that the service makes of itself. */
export function Interface() {
  const query = useQuery({ queryKey: ['openapi'], queryFn: () => get<{ paths: Record<string, Record<string, Operation>>; info: { description: string } }>('/openapi.json'), staleTime: Infinity })
  return (
    <div className="mx-auto max-w-6xl p-6">
      <h1 className="mb-1 text-xl font-semibold">Network interface</h1>
      <p className="mb-4 text-sm opacity-70">
        {query.data?.info.description} Make a personal token under your name, above, and send it as <code>Authorization: Bearer …</code>. <a className="link" href="/api/v1/openapi.json">OpenAPI 3.1</a>
      </p>
      <Trouble error={query.error} retry={() => query.refetch()} />
      <table className="w-full rounded-box border border-base-300 bg-base-100 text-sm">
        <tbody>
          {Object.entries(query.data?.paths ?? {}).flatMap(([path, methods]) =>
            Object.entries(methods).map(([method, op]) => (
              <tr key={method + path} className="border-b border-base-300 align-top last:border-0" data-operation={`${method} ${path}`}>
                <td className="px-3 py-1.5 font-medium uppercase opacity-70">{method}</td>
                <td className="w-[27rem] break-all px-2 py-1.5"><code className="text-xs">/api/v1{path}</code></td>
                <td className="px-2 py-1.5">
                  {op.summary}
                  {op.parameters?.filter((q) => q.in === 'query').map((q) => <div key={q.name} className="text-xs opacity-70"><code>?{q.name}=</code> {q.description}</div>)}
                  {Object.values(op.requestBody?.content ?? {}).map((c, i) => (
                    <div key={i} className="text-xs opacity-70">
                      {c.example !== undefined && <>such as <code className="break-all">{JSON.stringify(c.example)}</code></>}
                      {Object.entries(c.schema.properties ?? {}).map(([name, field]) => <div key={name}><code>{name}</code> {field.description}</div>)}
                    </div>
                  ))}
                </td>
                <td className="px-3 py-1.5 text-right opacity-70">{op['x-least-role'] ?? 'anyone'}</td>
              </tr>
            )),
          )}
        </tbody>
      </table>
    </div>
  )
}
