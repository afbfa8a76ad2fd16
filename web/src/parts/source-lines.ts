/** How a source reaches the server, and what it sends. */
export interface SourceWay {
  /** With scheme and port, no slash at its end. */
  readonly base: string;
  readonly host: string;
  readonly mqttPort: number;
}
/** The same message in one tongue, ready to copy. It carries `$KEY`, never the key itself. */
export interface SourceLine {
  readonly title: string;
  readonly about: string;
  readonly text: string;
}

/** A value within what a point is shown over: an example that arrives as good. */
export const exampleOf = ({ min, max }: { readonly min: number; readonly max: number }): number =>
  Number((min + (max - min) * 0.6).toPrecision(3));

/** One message of a source with its points, for a shell, a broker's client, Python and a sketch. */
export function sourceLines(
  { base, host, mqttPort }: SourceWay,
  id: string,
  points: readonly { readonly name: string; readonly min: number; readonly max: number }[],
): SourceLine[] {
  const values = points.map((point) => [point.name, exampleOf(point)] as const);
  const json = JSON.stringify(Object.fromEntries(values));
  const form = values.map(([name, value]) => `${name}=${value}`).join('&');
  const up = `${base}/node/v1/up`;
  return [
    {
      title: 'curl',
      about: 'a shell',
      text: `curl -H "Authorization: Bearer $KEY" ${values.map(([name, value]) => `-d ${name}=${value}`).join(' ')} ${up}`,
    },
    {
      title: 'mosquitto_pub',
      about: 'over MQTT',
      text: `mosquitto_pub -h ${host} -p ${mqttPort} -i ${id} -u ${id} -P "$KEY" -q 1 -t dp/1/${id}/up -m '${json}'`,
    },
    {
      title: 'Python',
      about: 'nothing to install',
      text: [
        'import json, os, urllib.request as u',
        `r = u.Request("${up}", json.dumps(${json}).encode(),`,
        '    {"Authorization": "Bearer " + os.environ["KEY"], "Content-Type": "application/json"})',
        'print(u.urlopen(r).read())',
      ].join('\n'),
    },
    {
      title: 'C++',
      about: 'inside a sketch',
      text: [
        `http.begin("${up}");`,
        'http.addHeader("Authorization", String("Bearer ") + KEY);',
        'http.addHeader("Content-Type", "application/x-www-form-urlencoded");',
        `http.POST("${form}");`,
      ].join('\n'),
    },
  ];
}
