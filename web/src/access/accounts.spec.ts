import { access } from '@dewpost/contract';
import { ApiError } from '../data/api';
import { Rig } from '../testing/rig';
import { Accounts } from './accounts';

const account = (name: string, role: 'maker' | 'keeper') => ({ name, role, createdAt: 1_764_000_000_000, demo: false });
const everybody = [account('millwright', 'maker'), account('baker', 'keeper')];
const open = (role: 'maker' | 'keeper', answers: Parameters<typeof Rig.open>[1]['answers'] = []) =>
  Rig.open(Accounts, {
    snapshot: { me: { name: role === 'maker' ? 'millwright' : 'baker', role } },
    answers: [[access.accounts, everybody], ...answers!],
  });

describe('accounts', () => {
  it('a keeper sees his own password and nothing of others; it is sent with the present one', async () => {
    const rig = await open('keeper', [[access.setPassword, {}]]);
    expect(rig.text).not.toContain('millwright');
    expect(rig.asked(access.accounts)).toEqual([]);
    await rig.fill('#present-password', 'the old password');
    await rig.fill('#new-password', 'the new password');
    await rig.press('Set the password');
    expect(rig.asked(access.setPassword)).toMatchObject([
      { params: { name: 'baker' }, body: { present: 'the old password', password: 'the new password' } },
    ]);
    expect(rig.text).toContain('signed out everywhere else');
  });

  it('what is too short stays at its field and is not sent; a refusal says why, and what was typed stays', async () => {
    const rig = await open('maker', [[access.addAccount, new ApiError(409, 'There is an account named baker already.')]]);
    await rig.fill('#account-name', 'baker');
    await rig.fill('#account-password', 'short');
    await rig.press('Add the account');
    expect(rig.text).toContain('at least 10 characters');
    expect(rig.asked(access.addAccount)).toEqual([]);
    await rig.fill('#account-password', 'long enough now');
    await rig.press('Add the account');
    expect(rig.text).toContain('There is an account named baker already.');
    expect(rig.element.querySelector<HTMLInputElement>('#account-password')!.value).toBe('long enough now');
  });

  it('taking one away is asked first', async () => {
    const rig = await open('maker', [[access.removeAccount, [everybody[0]!]]]);
    await rig.press('Take baker away');
    expect(rig.asked(access.removeAccount)).toEqual([]);
    await rig.press('Take baker away');
    expect(rig.asked(access.removeAccount)).toMatchObject([{ params: { name: 'baker' } }]);
    expect(rig.element.querySelectorAll('tr[mat-row]')).toHaveLength(1);
  });
});
