import type { UpdateReport } from '@dewpost/core/wire';

/** What a node did with its outputs and its radio before it took an image. */
export const safeWords = ({ secondRadio }: UpdateReport): string =>
  `outputs fail-safe${secondRadio === undefined ? '' : secondRadio === 'off' ? ', second radio off' : ', no second radio'}`;

/** What a node told of an image, as a line of its log. */
export const updateWords = (report: UpdateReport): string =>
  `image ${report.sha256.slice(0, 12)}: ${
    {
      safe: safeWords(report),
      fetching: 'being fetched',
      proved: 'digest and signature hold',
      starting: 'starting it in the spare slot',
      kept: 'kept: it has reported in',
      'fell-back': 'fell back to the image before',
      refused: 'refused',
    }[report.state]
  }${report.why ? `, ${report.why}` : ''}`;
