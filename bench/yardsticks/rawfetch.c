/* rawfetch: the ceiling yardstick for reading both sides anew. Reads every message of one IMAP user on two servers at the same time,
 * one connection and one thread a server: EXAMINE and one whole-folder FETCH (BODY.PEEK[]) for each folder, answers thrown away.
 * With --disk FILE in place of --dst: of one server, and into a file that is safe on the disk in the end: the yardstick for packing.
 * It compares nothing: a yardstick, not a tool.
 *   gcc -O2 -pthread -o rawfetch rawfetch.c
 *   ./rawfetch --src 127.0.0.1:21143 --dst 127.0.0.1:22143 --user U --password P [--dst-user D]
 * Prints one JSON line: messages (of the first server), bytes (of both), seconds, cpu_s. */
#define _GNU_SOURCE
#include <arpa/inet.h>
#include <errno.h>
#include <fcntl.h>
#include <netinet/tcp.h>
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

enum { IN = 1 << 18 };
typedef struct { const char *place, *user; int fd, disk; char in[IN]; size_t r, w; long messages, bytes; } Side;
static const char *password;

static void die(const char *what, const char *detail) {
    fprintf(stderr, "rawfetch: %s: %s\n", what, detail ? detail : strerror(errno));
    exit(1);
}
static void fill(Side *s) {
    if (s->r == s->w) s->r = s->w = 0;
    if (s->w == IN) { memmove(s->in, s->in + s->r, s->w - s->r); s->w -= s->r; s->r = 0; if (s->w == IN) die("line too long", ""); }
    ssize_t k;
    while ((k = recv(s->fd, s->in + s->w, IN - s->w, 0)) < 0 && errno == EINTR) { }
    if (k < 0) die("recv", 0);
    if (k == 0) die("connection closed", s->place);
    s->w += k;
}
static char *line(Side *s) {                     /* one line, NUL for its CRLF; valid until the next call */
    for (size_t seen = 0;;) {
        char *nl = memchr(s->in + s->r + seen, '\n', s->w - s->r - seen);
        if (nl) { char *l = s->in + s->r; s->r = nl + 1 - s->in; *nl = 0; if (nl > l && nl[-1] == '\r') nl[-1] = 0; return l; }
        seen = s->w - s->r;
        fill(s);
    }
}
static void say(Side *s, const char *p) {
    for (size_t n = strlen(p); n;) {
        ssize_t k = send(s->fd, p, n, MSG_NOSIGNAL);
        if (k < 0) { if (errno == EINTR) continue; die("send", 0); }
        p += k; n -= k;
    }
}
static void *read_all(void *x) {
    Side *s = x;
    char host[64], b[2200];
    const char *colon = strrchr(s->place, ':');
    if (!colon) die("need host:port", s->place);
    snprintf(host, sizeof host, "%.*s", (int)(colon - s->place), s->place);
    struct sockaddr_in a = { .sin_family = AF_INET, .sin_port = htons(atoi(colon + 1)) };
    int one = 1;
    if (inet_pton(AF_INET, host, &a.sin_addr) != 1) die("address", host);
    if ((s->fd = socket(AF_INET, SOCK_STREAM, 0)) < 0 || connect(s->fd, (void *)&a, sizeof a)) die("connect", 0);
    setsockopt(s->fd, IPPROTO_TCP, TCP_NODELAY, &one, sizeof one);
    line(s);
    snprintf(b, sizeof b, "t1 LOGIN \"%s\" \"%s\"\r\nt2 LIST \"\" \"*\"\r\n", s->user, password);
    say(s, b);
    static const int most = 20000;
    char **names = calloc(most, sizeof *names);
    int n = 0;
    for (char *l; strncmp(l = line(s), "t2", 2);) {  /* * LIST (flags) "/" name */
        if (!strncmp(l, "t1 ", 3) && strncmp(l + 3, "OK", 2)) die("sign-in", l);
        char *p = strstr(l, ") ");
        if (strncmp(l, "* LIST", 6) || !p || strcasestr(l, "\\Noselect") || n == most) continue;
        names[n++] = strdup(strchr(p + 2, ' ') + 1);
    }
    for (int i = 0; i < n; i++) {
        snprintf(b, sizeof b, "t3 EXAMINE %s\r\nt4 UID FETCH 1:* (BODY.PEEK[])\r\n", names[i]);
        say(s, b);
        for (char *l; strncmp(l = line(s), "t4", 2);) {
            char *literal = strrchr(l, '{');
            if (!strncmp(l, "t3 ", 3) && strncmp(l + 3, "OK", 2)) die("folder", l);
            if (!strstr(l, " FETCH (") || !literal) continue;
            size_t left = strtoul(literal + 1, 0, 10);
            s->messages++;
            s->bytes += left;
            while (left) {
                if (s->r == s->w) fill(s);
                size_t k = s->w - s->r < left ? s->w - s->r : left;
                if (s->disk && write(s->disk, s->in + s->r, k) != (ssize_t)k) die("write", 0);
                s->r += k;
                left -= k;
            }
        }
    }
    if (s->disk && fsync(s->disk)) die("fsync", 0);
    return 0;
}

int main(int argc, char **argv) {
    static Side sides[2];
    for (int i = 1; i + 1 < argc; i += 2) {
        char *k = argv[i], *v = argv[i + 1];
        if (!strcmp(k, "--src")) sides[0].place = v; else if (!strcmp(k, "--dst")) sides[1].place = v;
        else if (!strcmp(k, "--user")) sides[0].user = v; else if (!strcmp(k, "--dst-user")) sides[1].user = v;
        else if (!strcmp(k, "--disk")) { if ((sides[0].disk = open(v, O_CREAT | O_TRUNC | O_WRONLY, 0600)) < 0) die("open", v); }
        else if (!strcmp(k, "--password")) password = v; else die("option", k);
    }
    int n = sides[0].disk ? 1 : 2;
    if (!sides[0].place || (n > 1 && !sides[1].place) || !sides[0].user || !password) die("usage", "--src h:p --dst h:p --user U --password P [--dst-user D]");
    if (!sides[1].user) sides[1].user = sides[0].user;
    struct timespec t0, t1;
    pthread_t th[2];
    clock_gettime(CLOCK_MONOTONIC, &t0);
    for (int i = 0; i < n; i++) pthread_create(&th[i], 0, read_all, &sides[i]);
    for (int i = 0; i < n; i++) pthread_join(th[i], 0);
    clock_gettime(CLOCK_MONOTONIC, &t1);
    struct rusage u;
    getrusage(RUSAGE_SELF, &u);
    printf("{\"tool\": \"rawfetch\", \"messages\": %ld, \"bytes\": %ld, \"seconds\": %.3f, \"cpu_s\": %.3f}\n", sides[0].messages, sides[0].bytes + sides[1].bytes,
           (t1.tv_sec - t0.tv_sec) + (t1.tv_nsec - t0.tv_nsec) / 1e9, u.ru_utime.tv_sec + u.ru_stime.tv_sec + (u.ru_utime.tv_usec + u.ru_stime.tv_usec) / 1e6);
    return 0;
}
