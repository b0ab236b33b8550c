#!/usr/bin/env python3
"""Yardstick for recognising what is there: one wide FETCH of size and the four identity fields for each folder, answers thrown away.
Prints one JSON line: messages, seconds, cpu_s."""
import argparse, imaplib, json, re, resource, time

imaplib._MAXLINE = 10_000_000


def main():
    p = argparse.ArgumentParser()
    p.add_argument('--src', required=True); p.add_argument('--user', required=True); p.add_argument('--password', required=True)
    a = p.parse_args()
    host, port = a.src.rsplit(':', 1)
    t0 = time.monotonic()
    m = imaplib.IMAP4(host, int(port))
    m.login(a.user, a.password)
    messages = 0
    for row in m.list()[1]:
        name = re.match(rb'\(.*?\) (?:"(?:\\.|[^"])*"|NIL) (.*)$', row).group(1).strip().decode()
        if m.select(name, readonly=True)[0] != 'OK': continue
        rows = m.uid('FETCH', '1:*', '(UID RFC822.SIZE BODY.PEEK[HEADER.FIELDS (MESSAGE-ID DATE FROM SUBJECT)])')[1]
        messages += sum(1 for r in rows if isinstance(r, tuple))
    m.logout()
    u = resource.getrusage(resource.RUSAGE_SELF)
    print(json.dumps(dict(tool='headers', messages=messages, seconds=round(time.monotonic() - t0, 3), cpu_s=round(u.ru_utime + u.ru_stime, 3))))


if __name__ == '__main__':
    main()
