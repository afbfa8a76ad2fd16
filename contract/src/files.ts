import * as z from 'zod';
import { rawEndpoint, rowId } from './endpoint';

const ofNode = z.object({ id: z.string().max(64) });

/** What goes in or out as bytes or as a stream. */
export const files = {
  addFirmware: rawEndpoint({
    method: 'put',
    path: '/api/v1/firmware',
    door: 'maker',
    summary: 'Put an image in the library: the bytes as they are, their manifest in X-Image-Manifest as Base64',
    gives: 'application/json',
  }),
  image: rawEndpoint({
    method: 'get',
    path: '/api/v1/firmware/:id/image',
    door: 'maker',
    summary: 'The bytes of an image',
    gives: 'application/octet-stream',
    params: z.object({ id: z.string().max(120) }),
  }),
  configurationFile: rawEndpoint({
    method: 'get',
    path: '/api/v1/nodes/:id/configuration/:as',
    door: 'maker',
    summary: 'The configuration of a node with its key, as json, header or csv; who asked is kept',
    gives: 'text/plain',
    params: ofNode.extend({ as: z.string().max(20) }),
  }),
  addPhoto: rawEndpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/photos',
    door: 'account',
    summary: 'Keep a photo (JPEG or PNG) of a node in place',
    gives: 'application/json',
    params: ofNode,
  }),
  photo: rawEndpoint({
    method: 'get',
    path: '/api/v1/nodes/:id/photos/:photo',
    door: 'account',
    summary: 'A photo of a node',
    gives: 'image/*',
    params: ofNode.extend({ photo: rowId }),
  }),
  picture: rawEndpoint({
    method: 'get',
    path: '/api/v1/site-plan/pictures/:id',
    door: 'account',
    summary: 'A picture that a floor is drawn over, named by its digest',
    gives: 'image/*',
    params: z.object({ id: z.string().max(64) }),
  }),
  live: rawEndpoint({
    method: 'get',
    path: '/api/v1/live',
    door: 'account',
    summary: 'What changes, as server-sent events',
    gives: 'text/event-stream',
  }),
  sharedLive: rawEndpoint({
    method: 'get',
    path: '/api/v1/shared/live',
    door: 'share',
    summary: 'What changes on a shared dashboard, as server-sent events',
    gives: 'text/event-stream',
  }),
};
