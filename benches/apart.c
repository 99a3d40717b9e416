/* For measuring only, loaded before a program (`LD_PRELOAD`): puts each new thread onto another processor
   than the one on which it was made, as most kernels do by themselves. Some keep the threads of a young
   process on one processor, and then it is the kernel that is measured.

   cc -O2 -shared -fPIC -o apart.so apart.c -ldl */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <pthread.h>
#include <sched.h>

typedef int (*create)(pthread_t *, const pthread_attr_t *, void *(*)(void *), void *);

int pthread_create(pthread_t *thread, const pthread_attr_t *with, void *(*run)(void *), void *what) {
    create really = (create)dlsym(RTLD_NEXT, "pthread_create");
    int here = sched_getcpu();
    int failed = really(thread, with, run, what);
    cpu_set_t others;
    if (failed || here < 0 || sched_getaffinity(0, sizeof others, &others) != 0) {
        return failed;
    }
    CPU_CLR(here, &others);
    if (CPU_COUNT(&others) > 0) {
        pthread_setaffinity_np(*thread, sizeof others, &others);
    }
    return 0;
}
