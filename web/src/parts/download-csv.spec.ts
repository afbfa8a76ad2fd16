import { downloadCsv } from './download-csv';
import { download } from './download-file';

jest.mock('./download-file', () => ({ download: jest.fn() }));

const written = (rows: readonly (readonly string[])[]): unknown => {
  downloadCsv('readings.csv', rows);
  return jest.mocked(download).mock.lastCall;
};

describe('rows as a CSV file', () => {
  it('quotes every cell, doubles quotes inside, and ends each line with CRLF (RFC 4180, 2)', () => {
    expect(
      written([
        ['time', 'say "hello"'],
        ['a,b', 'two\nlines'],
      ]),
    ).toEqual(['readings.csv', 'text/csv', '"time","say ""hello"""\r\n"a,b","two\nlines"\r\n']);
  });
  it.each(['=1+1', '+1+cmd', '-1+cmd', '@sum(a)', '\t=1', '-cmd'])('makes text of %j, which a spreadsheet would run', (cell) => {
    expect(written([[cell]])).toEqual(['readings.csv', 'text/csv', `"'${cell}"\r\n`]);
  });
  it.each(['-1.5', '+3', '-2e-7', '-', '21', 'a-b'])('leaves %j as it is', (cell) => {
    expect(written([[cell]])).toEqual(['readings.csv', 'text/csv', `"${cell}"\r\n`]);
  });
});
