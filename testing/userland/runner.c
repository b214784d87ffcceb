/*
 * Runs command lines for whoever connects to a socket: `runner SOCKET WORD...`, to which each command line is added as the
 * last word. It is small, and so begins a command in a fraction of the time that a large program takes to copy itself.
 *
 * A connection sends the length of the command line (32 bits, little endian), the line, and then what the command reads. It
 * gets frames of one byte of id and 32 bits of length: 1 what is printed, 2 what is complained of, 3 the exit code.
 */
#define _GNU_SOURCE
#include <errno.h>
#include <poll.h>
#include <signal.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <sys/wait.h>
#include <unistd.h>

static unsigned char part[65536];

static int all(int fd, const void *bytes, size_t length) {
  const char *at = bytes;
  while (length > 0) {
    ssize_t n = write(fd, at, length);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return -1;
    at += n;
    length -= n;
  }
  return 0;
}

static int whole(int fd, void *bytes, size_t length) {
  char *at = bytes;
  while (length > 0) {
    ssize_t n = read(fd, at, length);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return -1;
    at += n;
    length -= n;
  }
  return 0;
}

static int frame(int fd, unsigned char id, const void *bytes, uint32_t length) {
  unsigned char head[5] = {id, length, length >> 8, length >> 16, length >> 24};
  return all(fd, head, 5) || all(fd, bytes, length);
}

static void serve(int client, char **words, int count) {
  unsigned char size[4];
  if (whole(client, size, 4)) return;
  uint32_t length = size[0] | size[1] << 8 | size[2] << 16 | (uint32_t)size[3] << 24;
  char *line = malloc((size_t)length + 1);
  if (!line || whole(client, line, length)) return;
  line[length] = 0;
  int in[2], out[2], err[2];
  if (pipe(in) || pipe(out) || pipe(err)) return;
  pid_t command = fork();
  if (command == 0) {
    dup2(in[0], 0);
    dup2(out[1], 1);
    dup2(err[1], 2);
    for (int fd = 3; fd < 64; fd++) close(fd);
    signal(SIGPIPE, SIG_DFL);
    char **argv = calloc(count + 2, sizeof *argv);
    memcpy(argv, words, count * sizeof *argv);
    argv[count] = line;
    execvp(argv[0], argv);
    _exit(127);
  }
  close(in[0]);
  close(out[1]);
  close(err[1]);
  /* What the command reads is given by a process of its own: neither waits for the other. */
  pid_t feeder = fork();
  if (feeder == 0) {
    close(out[0]);
    close(err[0]);
    ssize_t n;
    while ((n = read(client, part, sizeof part)) > 0 && all(in[1], part, n) == 0);
    _exit(0);
  }
  close(in[1]);
  struct pollfd from[2] = {{out[0], POLLIN, 0}, {err[0], POLLIN, 0}};
  int open = 2;
  while (open > 0) {
    if (poll(from, 2, -1) < 0) continue;
    for (int i = 0; i < 2; i++) {
      if (!from[i].revents) continue;
      ssize_t n = read(from[i].fd, part, sizeof part);
      if (n > 0 && frame(client, 1 + i, part, n) == 0) continue;
      if (n > 0) kill(command, SIGKILL);
      from[i].fd = -1;
      open--;
    }
  }
  int status = 0;
  waitpid(command, &status, 0);
  kill(feeder, SIGKILL);
  unsigned char code = WIFEXITED(status) ? WEXITSTATUS(status) : 128;
  frame(client, 3, &code, 1);
}

int main(int count, char **words) {
  struct sockaddr_un at = {.sun_family = AF_UNIX};
  int server = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
  if (count < 3 || strlen(words[1]) >= sizeof at.sun_path) return 2;
  strcpy(at.sun_path, words[1]);
  if (bind(server, (struct sockaddr *)&at, sizeof at) || listen(server, 64)) return 1;
  prctl(PR_SET_PDEATHSIG, SIGKILL);
  signal(SIGPIPE, SIG_IGN);
  signal(SIGCHLD, SIG_IGN);
  if (write(1, "ready\n", 6) != 6) return 1;
  for (;;) {
    int client = accept4(server, 0, 0, SOCK_CLOEXEC);
    if (client < 0) continue;
    if (fork() == 0) {
      signal(SIGCHLD, SIG_DFL);
      close(server);
      serve(client, words + 2, count - 2);
      _exit(0);
    }
    close(client);
  }
}
