"""The plain script: signs in to both accounts of one person after the other, and asks each folder for its index."""
import argparse, imaplib, re

parser = argparse.ArgumentParser()
parser.add_argument("--from-port", type=int, required=True)
parser.add_argument("--to-port", type=int, required=True)
parser.add_argument("--password", required=True)
parser.add_argument("--accounts", type=int, required=True)
options = parser.parse_args()
messages = octets = 0
for i in range(options.accounts):
    for port in (options.from_port, options.to_port):
        imap = imaplib.IMAP4("127.0.0.1", port)
        imap.login(f"p{i}", options.password)
        for line in imap.list()[1]:
            name = line.decode().split(' "/" ')[-1] if b' "/" ' in line else line.decode().split(' "." ')[-1]
            imap.select(name, readonly=True)
            if port == options.from_port:
                for row in imap.uid("fetch", "1:*", "(RFC822.SIZE INTERNALDATE FLAGS)")[1]:
                    if row:
                        messages += 1
                        octets += int(re.search(rb"RFC822.SIZE (\d+)", row).group(1))
        imap.logout()
print(messages, octets)
