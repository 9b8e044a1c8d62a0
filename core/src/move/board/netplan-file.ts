import { TAKE_OFF_REFUSED } from './commands';

/**
 * Cuts a network out of netplan's files, with nothing else changed: the places of a key and of what it holds are those
 * that the YAML reader of netplan itself tells, and what is left has to read as the whole did without the key. Each file
 * is tried with netplan before it takes the place of the old one.
 */
const CUT = `import copy, glob, os, re, shutil, subprocess, sys, tempfile
import yaml
try:
    name = bytes.fromhex(sys.argv[1]).decode('utf-8')
except UnicodeDecodeError:
    print(0)
    sys.exit(0)


# Netplan takes every value as it is written; so a name of digits is a name.
def read(text):
    return yaml.load(text, Loader=yaml.BaseLoader) or {}


def paths(data):
    wifis = (data.get('network') or {}).get('wifis') or {}
    for one, settings in wifis.items():
        if name in (settings.get('access-points') or {}):
            yield ['network', 'wifis', one, 'access-points', name]


def without(data, path):
    data = copy.deepcopy(data)
    chain = [data]
    for key in path[:-1]:
        chain.append(chain[-1][key])
    at = len(path) - 1
    del chain[at][path[at]]
    while at > 0 and not chain[at]:
        at -= 1
        del chain[at][path[at]]
    return data, path[: at + 1]


def end_of(node):
    if isinstance(node, yaml.ScalarNode) or node.flow_style:
        return node.end_mark.index
    last = node.value[-1]
    return end_of(last[1] if isinstance(last, tuple) else last)


def cut(text, path):
    node = yaml.compose(text, Loader=yaml.BaseLoader)
    for key in path[:-1]:
        node = next(value for at, value in node.value if at.value == key)
    key, value = next((at, value) for at, value in node.value if at.value == path[-1])
    begin, end = key.start_mark.index, max(key.end_mark.index, end_of(value))
    if node.flow_style:
        behind = re.match(r'\\s*,\\s*', text[end:])
        before = re.search(r',\\s*$', text[:begin])
        if behind:
            end += behind.end()
        elif before:
            begin = before.start()
        return text[:begin] + text[end:]
    begin = text.rfind('\\n', 0, begin) + 1
    line = text.find('\\n', end)
    return text[:begin] + ('' if line < 0 else text[line + 1:])


def taken(whole):
    folder = tempfile.mkdtemp()
    try:
        for part in ('lib/netplan', 'etc/netplan', 'run/netplan'):
            os.makedirs(os.path.join(folder, part))
            for path in glob.glob(os.path.join('/', part, '*.yaml')):
                with open(os.path.join(folder, part, os.path.basename(path)), 'w', encoding='utf-8') as file:
                    file.write(whole.get(path) if path in whole else open(path, encoding='utf-8').read())
        return subprocess.run(['netplan', 'generate', '--root-dir', folder], stdout=subprocess.DEVNULL).returncode == 0
    finally:
        shutil.rmtree(folder)


# Netplan refuses a radio without any network. Where another program has the new one, its whole paragraph may go then.
def tried(whole_radio):
    gone, new = 0, {}
    for path in sorted(glob.glob('/etc/netplan/*.yaml')):
        text = open(path, encoding='utf-8', newline='').read()
        data = read(text)
        for found in list(paths(data)):
            if whole_radio and len(data['network']['wifis'][found[2]]['access-points']) == 1:
                found = found[:3]
            data, place = without(data, found)
            text = cut(text, place)
            if read(text) != data:
                sys.exit('it could not be cut out of ' + path)
            gone += 1
            new[path] = text
    return gone, new


gone, new = tried(False)
if new and not taken(new):
    gone, new = tried(True)
    if sys.argv[2] != 'radio' or not taken(new):
        sys.exit('netplan does not take what is left')
for path, text in new.items():
    was = os.stat(path)
    with open(path + '.nest-mark', 'w', encoding='utf-8', newline='') as file:
        os.fchmod(file.fileno(), was.st_mode & 0o7777)
        os.fchown(file.fileno(), was.st_uid, was.st_gid)
        file.write(text)
        file.flush()
        os.fsync(file.fileno())
    os.replace(path + '.nest-mark', path)
print(gone)`;

/**
 * Lines of shell, as root, that cut a network out of netplan's files and have its programs' files made anew; they count in
 * `$cut`. Where they end, nothing was changed.
 * @param oldHex octets of the network's name, in hexadecimal digits
 * @param last what goes with the last network of a radio: its list, which another file has to have then, or all of it
 */
export const cutFromNetplan = (
  oldHex: string,
  last: 'list' | 'radio',
): string => `cut=$(python3 -I - ${oldHex} ${last} <<'NEST-MARK'
${CUT}
NEST-MARK
) || exit ${String(TAKE_OFF_REFUSED.refused)}
[ "$cut" = 0 ] || netplan generate || exit ${String(TAKE_OFF_REFUSED.refused)}`;
