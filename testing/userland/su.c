/* Gives root as one kind of phone does: `su -c SCRIPT`, or, built with WORDS, `su 0 WORD...` and `su root WORD...`. */
#include <stdio.h>
#include <string.h>
#include <unistd.h>

int main(int count, char **words) {
  if (setgid(0) != 0 || setuid(0) != 0) {
    perror("su");
    return 1;
  }
#ifdef WORDS
  if (count < 3 || (strcmp(words[1], "0") != 0 && strcmp(words[1], "root") != 0)) {
    fprintf(stderr, "su: invalid uid/gid '%s'\n", count > 1 ? words[1] : "");
    return 1;
  }
  execvp(words[2], words + 2);
#else
  if (count != 3 || strcmp(words[1], "-c") != 0) {
    fprintf(stderr, "su: unknown id: %s\n", count > 1 ? words[1] : "");
    return 1;
  }
  execl("/system/bin/sh", "sh", "-c", words[2], (char *)0);
#endif
  perror("su");
  return 126;
}
