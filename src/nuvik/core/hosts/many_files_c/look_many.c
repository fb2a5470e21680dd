/* What only opening files and folders tells of them. */

#include "common.h"

#include <signal.h>

#if defined(__linux__)

enum { NOT_WRITTEN, WRITTEN, NOT_KNOWN };

/* Whether anybody may write to an open file, as `syscalls.is_written_elsewhere`; the lease ends when it is closed. */
static int written_elsewhere(int file) {
    if (fcntl(file, F_SETSIG, SIGURG) || fcntl(file, F_SETLEASE, F_RDLCK)) return errno == EAGAIN ? WRITTEN : NOT_KNOWN;
    return NOT_WRITTEN;
}

typedef struct {
    int folder, only_written, fault, written, attributes;
    PyObject *held;
    const char *name;
    unsigned int flags;
} Inside;

static void look_inside(void *given, size_t number) {
    Inside *job = (Inside *)given + number;
    struct stat facts;
    int file = openat(job->folder, job->name, O_RDONLY | O_NOFOLLOW | O_CLOEXEC | O_NONBLOCK);
    if (file < 0 || fstat(file, &facts)) {
        job->fault = errno;
    } else {
        if (!job->only_written) {
            job->flags = flags_of(file);
            job->attributes = (job->flags & CARRIED_FLAGS) != 0 || flistxattr(file, NULL, 0) > 0;
        }
        job->written = S_ISREG(facts.st_mode) ? written_elsewhere(file) : NOT_KNOWN;
    }
    if (file >= 0) close(file);
}

static int is_usual(const Inside *job) {
    return !job->fault && job->written != WRITTEN && !job->attributes && !(job->flags & FIXED_FLAGS);
}

static void forget_insides(Inside *jobs, Py_ssize_t count) {
    for (Py_ssize_t number = 0; number < count; number++) Py_XDECREF(jobs[number].held);
    free(jobs);
}

/* look_many(folder, [name, ...], whether only writers are looked for, width)
 * -> [(name, (flags, 0 not written, 1 written, 2 not known, has attributes), or an error number), ...]
 * of those only of which there is anything to say. */
PyObject *look_many(PyObject *self, PyObject *words) {
    PyObject *names, *results;
    int folder, only_written, width;
    Py_ssize_t count;
    Inside *jobs;
    (void)self;
    if (!PyArg_ParseTuple(words, "iOpi", &folder, &names, &only_written, &width)) return NULL;
    if ((count = PyList_Size(names)) < 0) return NULL;
    jobs = calloc((size_t)count + 1, sizeof(Inside));
    if (jobs == NULL) return PyErr_NoMemory();
    for (Py_ssize_t number = 0; number < count; number++) {
        jobs[number].folder = folder;
        jobs[number].only_written = only_written;
        if (hold_name(PyList_GetItem(names, number), &jobs[number].held, &jobs[number].name)) {
            forget_insides(jobs, count);
            return NULL;
        }
    }
    Py_BEGIN_ALLOW_THREADS
    all(look_inside, jobs, (size_t)count, width);
    Py_END_ALLOW_THREADS
    results = PyList_New(0);
    for (Py_ssize_t number = 0; results != NULL && number < count; number++) {
        const Inside *job = &jobs[number];
        PyObject *name = PyList_GetItem(names, number), *result;
        if (is_usual(job)) continue;
        result = job->fault ? Py_BuildValue("(Oi)", name, job->fault)
                            : Py_BuildValue("(O(Iii))", name, job->flags, job->written, job->attributes);
        if (result == NULL || PyList_Append(results, result) < 0) Py_CLEAR(results);
        Py_XDECREF(result);
    }
    forget_insides(jobs, count);
    return results;
}

#endif
