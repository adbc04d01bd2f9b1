/* The least that reading sensors can cost: opens the files it is given, then re-reads each with pread at every tick
   and prints one line of their numbers. Usage: reference INTERVAL_MS SAMPLES FILE… */
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <time.h>
#include <unistd.h>

int main(int argc, char **argv)
{
    int files = argc - 3, fds[1024];
    long samples, step;
    struct timespec due;
    char text[256];
    if (files < 1 || files > 1024)
        return 2;
    step = atol(argv[1]) * 1000000L;
    samples = atol(argv[2]);
    for (int i = 0; i < files; i++)
        if ((fds[i] = open(argv[i + 3], O_RDONLY)) < 0)
            return 1;
    clock_gettime(CLOCK_MONOTONIC, &due);
    for (long n = 0; n < samples; n++) {
        due.tv_nsec += step;
        due.tv_sec += due.tv_nsec / 1000000000L;
        due.tv_nsec %= 1000000000L;
        clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &due, NULL);
        for (int i = 0; i < files; i++) {
            ssize_t got = pread(fds[i], text, sizeof text - 1, 0);
            text[got > 0 ? got : 0] = 0;
            printf(i ? ",%.3f" : "%.3f", atof(text));
        }
        putchar('\n');
        fflush(stdout);
    }
    return 0;
}
